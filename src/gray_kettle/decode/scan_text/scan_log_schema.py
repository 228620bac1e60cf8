"""What a line of our own scan log may hold: the schema in docs/ is made from it."""

import json
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from gray_kettle.decode.scan_text.short_listing import MAC

Share = Annotated[float, Field(ge=0, le=1)]


class LogLine(BaseModel):
    """One access point seen in one scan. Names that are not known here are ignored."""

    model_config = ConfigDict(extra="ignore", title="Gray Kettle scan log, one line")

    time: float | str = Field(description="Unix seconds, or ISO 8601 (UTC where it has no zone)")
    bssid: str = Field(pattern=rf"^{MAC}$")
    frequency_mhz: float = Field(ge=2400, le=7200, description="Centre of the primary 20 MHz")
    width_mhz: int = Field(default=0, ge=0, le=320, description="0: not reported")
    centre_mhz: float = Field(
        default=0.0, ge=0, le=7200, description="Centre of the whole channel; 0: not reported"
    )
    ssid: str = Field(default="", description="The network's name; empty for a hidden one")
    ssid_hex: str = Field(
        default="", pattern=r"^(?:[0-9a-fA-F]{2}){0,32}$", description="The same, octet by octet"
    )
    level_dbm: float | None = Field(default=None, ge=-150, le=30)
    level_percent: float | None = Field(
        default=None,
        ge=0,
        le=100,
        description="Where only a percentage is reported: an estimate of the level",
    )
    noise_dbm: float | None = Field(default=None, ge=-150, le=30)
    security: str = Field(
        default="open", max_length=40, description="As in the answer `heard`, for example WPA2-PSK"
    )
    generation: str = Field(default="", pattern=r"^(b|g|a|n|ac|ax|be)?$")
    streams: int = Field(default=1, ge=1, le=8)
    beacon_interval_tu: int = Field(default=100, ge=0, le=65535)
    basic_rates_mbps: tuple[float, ...] = Field(default=(), max_length=16)
    country: str = Field(default="", pattern=r"^([A-Z]{2})?$")
    load_utilisation: Share | None = None
    load_stations: int | None = Field(default=None, ge=0, le=65535)


def read_line(text: str) -> LogLine:
    """One line of a log. Raises: ValueError, with what is wrong in it."""
    try:
        return LogLine.model_validate(json.loads(text.encode("utf-8", "replace")))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the line"
        raise ValueError(f"{where}: {first['msg']}") from error
    except (ValueError, RecursionError) as error:
        raise ValueError(f"it is not an entry of a scan log ({error})") from error
