"""Findings about others: who wanders, who chases, who comes and goes, who is new, who is outdated."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding, Radio
from gray_kettle.analysis.findings.facts import FIX_CHANNEL, Facts, listed, percent, title
from gray_kettle.analysis.inventory.channel_changes import answers
from gray_kettle.decode.dot11.security import is_outdated
from gray_kettle.safe_text import dbm, network_name

_TOGETHER = 0.5  # of their time, for two visitors to be one visit
_FEWEST_VISITS = 2
_SHOWN_VISITS = 4


def _movers(facts: Facts) -> Iterator[Finding]:
    for radio in facts.radios:
        if radio.own or radio.moves_a_day <= facts.limits.moves_a_day:
            continue
        places = " → ".join(c.before.label for c in radio.changes[:4]) + f" → {radio.changes[-1].after.label}"
        yield Finding(
            severity="note",
            kind="foreign-mover",
            subject=title(radio),
            cause=f"This foreign radio changed channel {radio.moves} times, {radio.moves_a_day} in one day: {places}.",
            effect="Wherever it goes it is taken for present for its share of the time.",
            first_step="Keep own radios on fixed channels, so that the two do not chase each other.",
            figures={
                "moves": radio.moves,
                "moves_a_day": radio.moves_a_day,
                "channels": [s.channel.label for s in radio.stays],
            },
            see="heard",
        )


def _chase(facts: Facts) -> Iterator[Finding]:
    """Two automatic radios that answer each other's moves."""
    movers = [r for r in facts.radios if r.moves_a_day > facts.limits.moves_a_day]
    within_s = 60 * facts.limits.answer_min
    for mine in (r for r in movers if r.own):
        for theirs in (r for r in movers if not r.own and r.band == mine.band):
            ours, back = answers(mine, theirs, within_s), answers(theirs, mine, within_s)
            if len(ours) + len(back) < 2:
                continue
            who = (
                f"{len(ours)} of our {len(mine.changes)} changes came within {facts.limits.answer_min:g} minutes "
                "of one of theirs, to or from the same place"
            )
            yield Finding(
                severity="watch",
                kind="chase",
                subject=title(mine),
                cause=f"It and {theirs.name} move in turn: {who}. Two automatic radios answer each other.",
                effect=f"{mine.moves} changes on our side, {theirs.moves} on theirs; each drops clients for seconds.",
                first_step=FIX_CHANNEL,
                figures={
                    "own_moves": mine.moves,
                    "their_moves": theirs.moves,
                    "own_answers": len(ours),
                    "their_answers": len(back),
                },
                radio=mine.id,
                lost=0.12,
                see="plan",
            )


def _visitors(facts: Facts) -> Iterator[Finding]:
    """Those that come and go together are one visit: what do they cost while they are in?"""
    here = [
        r
        for r in facts.radios
        if not r.own and r.stay.presence < facts.limits.visitor_presence and len(r.episodes) >= _FEWEST_VISITS
    ]
    here.sort(key=lambda r: (-_time_in(r), r.id))
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
        for loss_cause in view.now.losses if view.now else ():
            if loss_cause.radio in ids:
                free *= 1 - loss_cause.share_lost
                free_in *= 1 - min(
                    loss_cause.share_lost / max(ids[loss_cause.radio].stay.presence, 0.01), 1.0
                )
        lost.append((1 - free_in, 1 - free, title(view.radio), view.radio.id))
    worst = max(lost, default=(0.0, 0.0, "", ""))
    if worst[0] < facts.limits.watch_lost:
        return
    loudest = max(group, key=lambda r: (r.level_dbm or -200.0, r.id))
    visits = loudest.episodes
    when = ", ".join(f"{facts.clock(a)}–{facts.clock(b, False)}" for a, b in visits[:_SHOWN_VISITS])
    more = f" and {len(visits) - _SHOWN_VISITS} times more" if len(visits) > _SHOWN_VISITS else ""
    names = listed((r.name for r in sorted(group, key=lambda r: -(r.level_dbm or -200.0))), 2)
    yield Finding(
        severity="watch" if worst[0] >= facts.limits.act_lost else "note",
        kind="visitor",
        subject=f"{names}, {group[0].band} GHz:",
        cause=f"Here {len(visits)} times: {when}{more}. The loudest is {loudest.name} on {loudest.channel.label}"
        + (f" at {dbm(loudest.level_dbm)}." if loudest.level_dbm is not None else "."),
        effect=f"While in, they take about {percent(worst[0])} of {worst[2]}; over all the window {percent(worst[1])}.",
        first_step="Judge the hours that count: shorten the window to a visit with { and look at the plan for it.",
        figures={
            "radios": sorted(ids),
            "visits": len(visits),
            "lost_while_in": round(worst[0], 4),
            "lost": round(worst[1], 4),
        },
        radio=worst[3],
        lost=worst[1],
        see="air",
    )


def _time_in(radio: Radio) -> float:
    return sum(b - a for a, b in radio.episodes)


def _shared(one: Radio, other: Radio) -> float:
    """Share of the shorter one's time in which both are there."""
    both = sum(max(0.0, min(b, d) - max(a, c)) for a, b in one.episodes for c, d in other.episodes)
    shorter = min(_time_in(one), _time_in(other))
    return both / shorter if shorter else 0.0


def _newcomers(facts: Facts) -> Iterator[Finding]:
    """Heard now and not in the reference stretch."""
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
            f"It announces our name {names} from an address that was not there before: a new radio, or an extender."
            if radio.own
            else f"Not heard in the reference stretch: {names}."
        )
        yield Finding(
            severity="watch" if radio.own or lost >= facts.limits.watch_lost else "note",
            kind="newcomer",
            subject=title(radio),
            cause=f"{who} First heard {facts.clock(radio.first_s)}"
            + (f", at {dbm(radio.level_dbm)}." if radio.level_dbm is not None else "."),
            effect=f"It takes {percent(lost)} of an own radio's time."
            if lost >= 0.005
            else "No own radio loses time to it.",
            first_step="Ask who put it up; an extender repeats every frame and costs the air twice."
            if radio.own
            else "See in the plan whether another channel is better now.",
            figures={"first_s": radio.first_s, "lost": lost},
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
            yield Finding(
                severity="watch" if own else "note",
                kind="outdated-security",
                subject=", ".join(weak[:4]),
                cause=f"{len(weak)} {'own' if own else 'foreign'} network{'s' * (len(weak) > 1)} "
                "still allow an outdated cipher.",
                effect="Such a cipher can be broken, and it holds clients at 54 Mb/s."
                if own
                else "No harm to us.",
                first_step="Allow WPA2 with CCMP or WPA3 only."
                if own
                else "Nothing to do; tell them if you meet them.",
                figures={"networks": weak},
                see="heard",
            )


RULES = (_movers, _chase, _visitors, _newcomers, _outdated)
