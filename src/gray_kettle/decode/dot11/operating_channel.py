"""Where a radio sits: its channel from what it announces, strongest statement first.

Source: IEEE Std 802.11-2020 9.4.2.56 (HT operation), 9.4.2.158 (VHT operation), 802.11ax-2021 9.4.2.249 (HE
operation), 802.11be-2024 9.4.2.311 (EHT operation); docs/radio-model.md, "Channels".
"""

from dataclasses import dataclass

from gray_kettle.phy.channels import Channel, centre_hz, wide


@dataclass(frozen=True)
class Placement:
    """What the operation elements say, raw: widths are the elements' own codes, segments channel numbers.

    secondary: 0 none, 1 above, 3 below. vht, he6 and eht: (width code, segment 0, segment 1), None when absent.
    """

    secondary: int = 0
    vht: tuple[int, int, int] | None = None
    he6: tuple[int, int, int] | None = None
    eht: tuple[int, int, int] | None = None


def channel_of(band: str, primary: int, said: Placement) -> Channel:
    """The channel that was announced; statements that contradict the primary are ignored.

    Raises: ValueError, when there is no such primary in the band.
    """
    found = wide(band, primary, 20)
    if not found:
        raise ValueError(f"No channel has its centre at {primary} in the {band} GHz band.")
    base = found[0]
    for candidate in (
        _from_eht(band, primary, said),
        _from_segments(band, primary, said.he6, {1: 40, 2: 80, 3: 160}),
        _from_vht(band, primary, said.vht),
        _from_ht(band, primary, said.secondary),
    ):
        if candidate is not None and primary in candidate.parts:
            return candidate
    return base


def _at(band: str, primary: int, width_mhz: int, centre_number: int) -> Channel | None:
    """The existing channel of that width and centre, if it has that primary."""
    try:
        wanted_hz = centre_hz(band, centre_number)
    except ValueError:
        return None
    return next((c for c in wide(band, primary, width_mhz) if c.centre_hz == wanted_hz), None)


def _from_eht(band: str, primary: int, said: Placement) -> Channel | None:
    if said.eht is None:
        return None
    code, segment0, segment1 = said.eht
    if code == 4:
        return _at(band, primary, 320, segment1)
    if code == 3:
        return _at(band, primary, 160, segment1)
    width_mhz = {0: 20, 1: 40, 2: 80}.get(code)
    return _at(band, primary, width_mhz, segment0) if width_mhz else None


def _from_segments(
    band: str, primary: int, said: tuple[int, int, int] | None, widths: dict[int, int]
) -> Channel | None:
    """HE operation at 6 GHz: 160 MHz reports the centre of its primary 80 first, its own second."""
    if said is None:
        return None
    code, segment0, segment1 = said
    width_mhz = widths.get(code)
    if width_mhz is None:
        return None
    if width_mhz == 160:
        return _eighties(band, primary, segment0, segment1)
    return _at(band, primary, width_mhz, segment0)


def _from_vht(band: str, primary: int, said: tuple[int, int, int] | None) -> Channel | None:
    if said is None or band == "2.4":
        return None
    code, segment0, segment1 = said
    if code == 1:
        return _eighties(band, primary, segment0, segment1) if segment1 else _at(band, primary, 80, segment0)
    if code == 2:  # deprecated, still sent
        return _at(band, primary, 160, segment0)
    return _eighties(band, primary, segment0, segment1) if code == 3 else None


def _eighties(band: str, primary: int, segment0: int, segment1: int) -> Channel | None:
    """160 MHz when the segments are 8 numbers apart, 80+80 when more than 16."""
    if abs(segment1 - segment0) == 8:
        return _at(band, primary, 160, segment1)
    one = _at(band, primary, 80, segment0)
    if one is None or abs(segment1 - segment0) <= 16:
        return one
    try:
        second_hz = centre_hz(band, segment1)
    except ValueError:
        return one
    return Channel(band, primary, 160, one.centre_hz, second_hz)


def _from_ht(band: str, primary: int, secondary: int) -> Channel | None:
    if secondary not in (1, 3):
        return None
    above = secondary == 1
    found = (c for c in wide(band, primary, 40) if (c.centre_hz > centre_hz(band, primary)) == above)
    return next(found, None)
