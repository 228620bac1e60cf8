"""The change sheet: what to set on which access point, in which order, by hand on any make."""

from dataclasses import dataclass

from gray_kettle.analysis.assessment import ChannelAssessment
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.countries import is_indoor_only, most_eirp_dbm, radar_watch_s
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.safe_text import network_name, printable


@dataclass(frozen=True)
class Line:
    """One radio to set. step: 0 for one that stays. centre_mhz: of the whole channel."""

    step: int
    radio: str
    bssids: tuple[str, ...]
    networks: tuple[str, ...]
    band: str
    now: Channel
    to: Channel
    centre_mhz: float
    watch_s: float
    indoor: bool
    most_eirp_dbm: float | None
    before: ChannelAssessment | None
    after: ChannelAssessment | None
    why: str


@dataclass(frozen=True)
class Sheet:
    """All that is to be done, in order. other: (what, gain, effort) of the other steps."""

    site: str
    country: str
    changes: tuple[Line, ...]
    stays: tuple[Line, ...]
    other: tuple[tuple[str, str, str], ...]
    conflicts: tuple[str, ...]


def sheet_of(proposal: Proposal, setup: Setup) -> Sheet:
    """Names are cleaned here, once for text, table and paper."""
    step_of = {radio: n for n, step in enumerate(proposal.order, 1) for radio in step.radios}
    lines = [_line(m, step_of.get(m.radio.id, 0), setup.country) for m in proposal.moves]
    names = {m.radio.id: f"{printable(m.radio.name)} {m.radio.band} GHz" for m in proposal.moves}
    return Sheet(
        site=printable(setup.site) or "Site not named",
        country=printable(setup.country),
        changes=tuple(sorted((x for x in lines if x.now != x.to), key=lambda x: (x.band, x.step))),
        stays=tuple(x for x in lines if x.now == x.to),
        other=tuple(
            (printable(s.what), printable(s.gain), printable(s.effort)) for s in proposal.other_steps
        ),
        conflicts=tuple(f"{names[c.radio]}: {' and '.join(c.rules)}" for c in proposal.conflicts),
    )


def _line(move: Move, step: int, country: str) -> Line:
    to = move.target
    return Line(
        step=step,
        radio=f"{printable(move.radio.name)} {move.radio.band} GHz",
        bssids=tuple(n.bssid for n in move.radio.networks),
        networks=tuple(dict.fromkeys(network_name(n.ssid) for n in move.radio.networks)),
        band=move.radio.band,
        now=move.source,
        to=to,
        centre_mhz=to.centre_hz / 1e6,
        watch_s=radar_watch_s(country, to),
        indoor=is_indoor_only(country, to),
        most_eirp_dbm=most_eirp_dbm(country, to),
        before=move.before,
        after=move.after,
        why=printable(move.reasons[0]) if move.reasons else "",
    )


def settings_of(line: Line) -> str:
    """What to set, in words that every access point's page has in one form or another."""
    return f"{_setting(line.to)}, automatic choice off"


def old_settings_of(line: Line) -> str:
    """What it was, to go back to."""
    return _setting(line.now)


def _setting(channel: Channel) -> str:
    if not channel.is_width_known:
        return f"channel {channel.primary}, width as it is (not reported)"
    width = ""
    if channel.width_mhz > 20:
        reach = f"{min(channel.parts)} to {max(channel.parts)}"
        width = f" (fills {reach}, centre {channel.centre_hz / 1e6:.0f} MHz)"
    return f"channel {channel.primary}, width {channel.width_mhz} MHz{width}"


def check_of(line: Line) -> str:
    """How to see that a step took effect."""
    after = f"{max(round(line.watch_s / 60), 1)} min of radar watch" if line.watch_s else "a minute"
    return (
        f"after {after} a scan lists {line.bssids[0]} on {line.to.label}, and its clients are back; after an hour "
        "its retries and clear air say more"
    )


def one_at_a_time(sheet: Sheet) -> str:
    """Why steps are made apart; "" where there is but one."""
    if len({line.step for line in sheet.changes}) < 2:
        return ""
    return (
        "Make one step at a time, from the top, and leave a day between two where you can: what two steps did to the "
        "same radio cannot be told apart afterwards. The same holds for both bands of one access point, as clients "
        "move from one to the other. Steps with one number belong together."
    )


# What to do when the access point cannot be reached after a step.
CONNECTION_LOST = (
    "Wait two minutes, and the radar watch where a step names one: the radio starts anew, and clients search every "
    "channel.",
    "Join another radio of ours, or plug a cable into the access point or its switch: its settings do not need the "
    "radio that was changed.",
    "Set the old values, which each step names, and note the time.",
    "Where a single client stays away, it cannot use the new channel: note which, and set its limit in the plan.",
)


def notes_of(line: Line) -> tuple[str, ...]:
    """What to know when carrying it out."""
    out = []
    if line.watch_s:
        out.append(f"silent for {max(round(line.watch_s / 60), 1)} min before it starts (radar watch)")
    if line.indoor:
        out.append("indoors only")
    if line.most_eirp_dbm is not None:
        out.append(f"at most {line.most_eirp_dbm:g} dBm EIRP")
    return tuple(out)
