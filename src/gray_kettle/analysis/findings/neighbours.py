"""Findings about foreign radios: channel changes, selection loops, intermittent and new ones, outdated ciphers."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding, Radio
from gray_kettle.analysis.figures import ChannelChanges, Ciphers, NewRadio, SelectionLoop, Visits
from gray_kettle.analysis.findings.facts import FIX_CHANNEL, Facts, count, listed, percent, title
from gray_kettle.analysis.inventory.channel_changes import answers
from gray_kettle.decode.dot11.security import OPEN, is_outdated
from gray_kettle.model.enums import ChannelAction, FindingKind, Severity
from gray_kettle.safe_text import dbm, network_name

_TOGETHER = 0.5  # share of their time in common from which two intermittent radios count as one visit
_FEWEST_VISITS = 2
_SHOWN_VISITS = 4


def _movers(facts: Facts) -> Iterator[Finding]:
    for radio in facts.radios:
        if radio.own or radio.moves_a_day <= facts.limits.moves_a_day:
            continue
        path = " → ".join(c.before.label for c in radio.changes[:4]) + f" → {radio.changes[-1].after.label}"
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.FOREIGN_MOVER,
            subject=title(radio),
            cause=f"This foreign radio changed channel {count(radio.moves, 'time')}, "
            f"up to {radio.moves_a_day} in one day: {path}.",
            effect="Each of its channels counts as occupied for the share of time that it spent there.",
            first_step="Keep own radios on fixed channels, so that automatic selection does not follow it.",
            figures=ChannelChanges(
                radio.moves, radio.moves_a_day, tuple(s.channel.label for s in radio.stays)
            ),
            see="heard",
        )


def _chase(facts: Facts) -> Iterator[Finding]:
    """Two radios with automatic channel selection that react to each other's changes."""
    movers = [r for r in facts.radios if r.moves_a_day > facts.limits.moves_a_day]
    within_s = 60 * facts.limits.answer_min
    for mine in (r for r in movers if r.own):
        for theirs in (r for r in movers if not r.own and r.band == mine.band):
            ours, back = answers(mine, theirs, within_s), answers(theirs, mine, within_s)
            if len(ours) + len(back) < 2:
                continue
            yield Finding(
                severity=Severity.WATCH,
                kind=FindingKind.CHASE,
                subject=title(mine),
                cause=f"It and {theirs.name} react to each other's channel changes: {len(ours)} of our "
                f"{count(len(mine.changes), 'change')} and {len(back)} of their {len(theirs.changes)} came within "
                f"{facts.limits.answer_min:g} minutes of one of the other's and concerned the same channel.",
                effect=f"{count(mine.moves, 'change')} on our side, {theirs.moves} on theirs; each disconnects "
                "clients for seconds.",
                first_step=FIX_CHANNEL,
                action=ChannelAction.FIX,
                figures=SelectionLoop(mine.moves, theirs.moves, len(ours), len(back)),
                radio=mine.id,
                lost=0.12,
                see="plan",
            )


def _visitors(facts: Facts) -> Iterator[Finding]:
    """Intermittent radios that are on the air at the same times form one group: what do they cost while present?"""
    here = [
        r
        for r in facts.radios
        if not r.own and r.stay.presence < facts.limits.visitor_presence and len(r.episodes) >= _FEWEST_VISITS
    ]
    here.sort(key=lambda r: (-_time_present(r), r.id))
    groups: list[list[Radio]] = []
    for radio in here:
        home = next(
            (g for g in groups if g[0].band == radio.band and _shared(g[0], radio) >= _TOGETHER), None
        )
        if home is None:
            groups.append([radio])
        else:
            home.append(radio)
    for group in groups:
        yield from _visit(facts, group)


def _visit(facts: Facts, group: list[Radio]) -> Iterator[Finding]:
    ids = {r.id: r for r in group}
    lost = []
    for view in facts.own:
        free = free_in = 1.0
        for cause in view.now.losses if view.now else ():
            if cause.radio in ids:
                free *= 1 - cause.share_lost
                free_in *= 1 - min(cause.share_lost / max(ids[cause.radio].stay.presence, 0.01), 1.0)
        lost.append((1 - free_in, 1 - free, title(view.radio), view.radio.id))
    worst = max(lost, default=(0.0, 0.0, "", ""))
    if worst[0] < facts.limits.watch_lost:
        return
    loudest = max(group, key=lambda r: (r.level_dbm or -200.0, r.id))
    visits = loudest.episodes
    when = ", ".join(f"{facts.clock(a)}–{facts.clock(b, False)}" for a, b in visits[:_SHOWN_VISITS])
    more = f" and {len(visits) - _SHOWN_VISITS} more" if len(visits) > _SHOWN_VISITS else ""
    names = listed((r.name for r in sorted(group, key=lambda r: -(r.level_dbm or -200.0))), 2)
    level = f" at {dbm(loudest.level_dbm)}" if loudest.level_dbm is not None else ""
    yield Finding(
        severity=Severity.WATCH if worst[0] >= facts.limits.act_lost else Severity.NOTE,
        kind=FindingKind.VISITOR,
        subject=f"{names}, {group[0].band} GHz",
        cause=f"Present {count(len(visits), 'time')}: {when}{more}. The strongest is {loudest.name} on "
        f"{loudest.channel.label}{level}.",
        effect=f"While present they take {percent(worst[0])} of the time of {worst[2]}; {percent(worst[1])} over "
        "the whole window.",
        first_step="Shorten the window to one of these times ({ and [ ]) and check the plan for it.",
        figures=Visits(tuple(sorted(ids)), len(visits), round(worst[0], 4), round(worst[1], 4)),
        radio=worst[3],
        lost=worst[1],
        see="air",
    )


def _time_present(radio: Radio) -> float:
    return sum(b - a for a, b in radio.episodes)


def _shared(one: Radio, other: Radio) -> float:
    """Time in which both are present, as a share of the shorter presence."""
    both = sum(max(0.0, min(b, d) - max(a, c)) for a, b in one.episodes for c, d in other.episodes)
    shorter = min(_time_present(one), _time_present(other))
    return both / shorter if shorter else 0.0


def _newcomers(facts: Facts) -> Iterator[Finding]:
    """Radios of this window that were not observed in the reference window."""
    if facts.known_before is None:
        return
    for radio in facts.radios:
        if any(n.bssid in facts.known_before for n in radio.networks):
            continue
        lost = max(
            (h.share_lost for v in facts.own if v.now for h in v.now.losses if h.radio == radio.id),
            default=0.0,
        )
        near = (radio.level_dbm or -200.0) >= facts.limits.strong_neighbour_dbm
        if not radio.own and not near and lost < facts.limits.watch_lost:
            continue
        names = listed(network_name(n.ssid) for n in radio.networks)
        who = (
            f"It announces our SSID {names} from a BSSID that is new: a new access point, or a repeater."
            if radio.own
            else f"Not observed in the reference window: {names}."
        )
        level = f", at {dbm(radio.level_dbm)}" if radio.level_dbm is not None else ""
        yield Finding(
            severity=Severity.WATCH if radio.own or lost >= facts.limits.watch_lost else Severity.NOTE,
            kind=FindingKind.NEWCOMER,
            subject=title(radio),
            cause=f"{who} First observed {facts.clock(radio.first_s)}{level}.",
            effect=f"It takes {percent(lost)} of an own radio's time."
            if lost >= 0.005
            else "No own radio loses time to it.",
            first_step="Ask who installed it. A repeater sends every frame twice."
            if radio.own
            else "Check in the plan whether another channel is better now.",
            figures=NewRadio(radio.first_s, lost),
            radio=radio.id,
            lost=lost,
            see="heard",
        )


def _outdated(facts: Facts) -> Iterator[Finding]:
    for own in (True, False):
        weak = sorted(
            {
                network_name(n.ssid)
                for r in facts.radios
                if r.own is own
                for n in r.networks
                if is_outdated(n.security)
            }
        )
        if weak:
            whose = "own" if own else "foreign"
            allow = "allows" if len(weak) == 1 else "allow"
            yield Finding(
                severity=Severity.WATCH if own else Severity.NOTE,
                kind=FindingKind.OUTDATED_SECURITY,
                subject=", ".join(weak[:4]),
                cause=f"{count(len(weak), whose + ' network')} still {allow} an outdated cipher (WEP or TKIP).",
                effect="Such a cipher can be broken, and it limits clients to 54 Mb/s."
                if own
                else "It does not affect us.",
                first_step="Allow only WPA2 with CCMP, or WPA3."
                if own
                else "Nothing to do; inform the owner if you can.",
                figures=Ciphers(tuple(weak)),
                see="heard",
            )


def _open_networks(facts: Facts) -> Iterator[Finding]:
    """Own networks without any protection: common for guests, and worth a word all the same."""
    by_name: dict[str, set[str]] = {}
    for radio in facts.radios:
        if radio.own:
            for network in radio.networks:
                by_name.setdefault(network_name(network.ssid), set()).add(network.security)
    names = sorted(name for name, offered in by_name.items() if OPEN in offered)
    if names:
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.OPEN_NETWORK,
            subject=", ".join(names[:4]),
            cause=f"{count(len(names), 'own network')} {'has' if len(names) == 1 else 'have'} no encryption.",
            effect="Anybody near can read what its clients send without a protection of their own.",
            first_step="If it is for guests, use OWE (Enhanced Open), and keep it apart from the network of the house.",
            figures=Ciphers(tuple(names)),
            see="heard",
        )


RULES = (_movers, _chase, _visitors, _newcomers, _outdated, _open_networks)
