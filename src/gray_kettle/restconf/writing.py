"""Writes settings one by one: each is kept in a journal first, read back afterwards, and the first failure ends it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from gray_kettle.errors import KettleError
from gray_kettle.model.device_change import DeviceChange, DeviceSetting, WriteResult
from gray_kettle.restconf.client import DeviceRadio, Restconf
from gray_kettle.restconf.matching import Change
from gray_kettle.safe_text import printable
from gray_kettle.store.journal import Journal


@dataclass(frozen=True)
class Written:
    """What came of one setting. move: the change of the plan, None where an old setting was written back."""

    change: DeviceChange
    source: Change | None = None

    @property
    def text(self) -> str:
        """For people: what was read back, never what was asked for."""
        change = self.change
        ending = {
            WriteResult.SET: f"set to {change.after.label}, read back the same",
            WriteResult.ROLLED_BACK: f"set back to {change.before.label}, read back the same",
            WriteResult.UNCHANGED: f"not set, it is still {change.before.label}",
            WriteResult.OTHER: "set to something else than was written: look at it",
            WriteResult.UNKNOWN: "unknown whether it was set: it could not be read back. Look at it",
        }[change.result]
        return f"{change.text}: {ending}{f' ({change.answer})' if change.answer else ''}"


def write_changes(
    device: Restconf, journal: Journal, address: str, wanted: Sequence[Change]
) -> Iterator[Written]:
    """Write the settings in their order, and end with the first that did not come out as written."""
    for source in wanted:
        radio = source.device
        assert radio is not None
        change = DeviceChange(
            radio.host,
            radio.number,
            radio.frequency,
            source.move.radio.id,
            f"{printable(source.move.radio.name)} {source.move.radio.band} GHz",
            radio.setting,
            source.setting,
        )
        number = journal.add(address, change)
        settled = _written(device, radio, change, change.after, WriteResult.SET)
        journal.settle(number, settled)
        yield Written(settled, source)
        if settled.result is not WriteResult.SET:
            return


def roll_back(device: Restconf, journal: Journal, address: str) -> Iterator[Written]:
    """Write the old settings of the journal back, the newest change first.

    Left alone, and said, is what somebody changed since.
    """
    for number, _, change in reversed(journal.entries(address)):
        if change.result not in (WriteResult.SET, WriteResult.UNKNOWN, WriteResult.OTHER):
            continue
        radio = _found(device, change)
        if radio is None:
            answer = "this access point has no such radio any more"
            yield Written(replace(change, result=WriteResult.UNKNOWN, answer=answer))
            return
        if radio.setting == change.before:
            journal.settle(number, replace(change, result=WriteResult.ROLLED_BACK))
            continue
        if change.result is WriteResult.SET and radio.setting != change.after:
            answer = f"somebody set it to {radio.setting.label} since: left as it is"
            yield Written(replace(change, result=WriteResult.OTHER, answer=answer))
            continue
        settled = _written(device, radio, change, change.before, WriteResult.ROLLED_BACK)
        journal.settle(number, settled)
        yield Written(settled)
        if settled.result is not WriteResult.ROLLED_BACK:
            return


def _written(
    device: Restconf, radio: DeviceRadio, change: DeviceChange, wanted: DeviceSetting, done: WriteResult
) -> DeviceChange:
    """Write one setting and say what is read back, whatever the answer was."""
    answer = ""
    try:
        device.set_channel(radio, wanted)
    except KettleError as error:
        answer = str(error)
    try:
        now = _found(device, change)
    except KettleError as error:
        return replace(change, result=WriteResult.UNKNOWN, answer=answer or str(error))
    if now is None:
        return replace(change, result=WriteResult.UNKNOWN, answer=answer or "it is no longer listed")
    if now.setting == wanted:
        return replace(change, result=done, answer="")
    same = now.setting == radio.setting
    return replace(change, result=WriteResult.UNCHANGED if same else WriteResult.OTHER, answer=answer)


def _found(device: Restconf, change: DeviceChange) -> DeviceRadio | None:
    key = (change.host, change.number, change.frequency)
    return next((r for r in device.radios() if (r.host, r.number, r.frequency) == key), None)
