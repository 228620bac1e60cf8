"""A setting that was written to an access point: enough to see what came of it, and to write the old one back."""

from dataclasses import dataclass
from enum import StrEnum


class WriteResult(StrEnum):
    """What a radio was set to after it was written to. UNKNOWN: it could not be read back."""

    SET = "set"
    UNCHANGED = "not set"
    OTHER = "set to something else"
    UNKNOWN = "unknown"
    ROLLED_BACK = "rolled back"


@dataclass(frozen=True)
class DeviceSetting:
    """Channel and width of a radio, and whether the device chooses by itself."""

    channel: int
    width_mhz: int
    is_automatic: bool

    @property
    def label(self) -> str:
        return f"{self.channel}/{self.width_mhz}{' automatic' if self.is_automatic else ''}"


@dataclass(frozen=True)
class DeviceChange:
    """host, number, frequency: the radio as its access point names it. radio: its id in the case. text: for people.

    answer: what the access point said where it was not set, "" else.
    """

    host: str
    number: int
    frequency: str
    radio: str
    text: str
    before: DeviceSetting
    after: DeviceSetting
    result: WriteResult = WriteResult.UNKNOWN
    answer: str = ""
