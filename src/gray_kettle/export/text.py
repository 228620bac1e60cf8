"""Answers as plain tables for a terminal or a pipe."""

from gray_kettle.analysis.assess import channels_seen_from
from gray_kettle.analysis.assessment import Assessment, Finding, Network, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.explain import Explanation
from gray_kettle.analysis.findings import HEADLINES, confidence_text, emitter_title
from gray_kettle.export.json_api import iso
from gray_kettle.planner.proposal import Proposal
from gray_kettle.safe_text import network_name, printable

MARKS = {"act": "▲", "watch": "◆", "note": "·"}


def _aligned(head: list[str], rows: list[list[str]], right: set[int]) -> str:
    widths = [max(len(row[k]) for row in [head, *rows]) for k in range(len(head))]
    lines = []
    for row in [head, *rows]:
        cells = [
            c.rjust(w) if k in right else c.ljust(w) for k, (c, w) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append("  ".join(cells).rstrip())
    return "\n".join(lines)


def _share(value: float | None) -> str:
    return "–" if value is None else f"{100 * value:.0f} %"


def _number(value: float | None, unit: str = "") -> str:
    return "–" if value is None else f"{value:.0f}{unit}"


def heard_table(radios: tuple[Radio, ...]) -> str:
    rows = []
    for radio in radios:
        clients = sum(len(n.clients) for n in radio.networks)
        names = ", ".join(dict.fromkeys(_named(n) for n in radio.networks))
        rows.append(
            [
                "■" if radio.own else "□",
                radio.name,
                radio.band,
                radio.channel.label,
                ("~" if radio.level_estimated else "") + _number(radio.level_dbm),
                _share(radio.air_share),
                _share(radio.retry_share),
                radio.generation,
                str(clients),
                _number(min((r for n in radio.networks for r in n.basic_rates_mbps), default=None)),
                radio.id,
                names,
            ]
        )
    head = [
        "",
        "radio",
        "band",
        "channel",
        "dBm",
        "air",
        "again",
        "gen",
        "clients",
        "from Mb/s",
        "BSSID",
        "names",
    ]
    return _aligned(head, rows, {4, 5, 6, 8, 9})


def _named(network: Network) -> str:
    """Its name, marked where its beacons do not tell it."""
    name = network_name(network.ssid)
    return f"{name} (hidden)" if network.hidden and network.named_by else name


def air_table(assessment: Assessment, radio: Radio | None, band: str | None) -> str:
    rows = []
    for place in channels_seen_from(assessment, radio):
        if band not in (None, place.channel.band):
            continue
        used, standing = place.utilisation, place.standing
        if standing is None:
            rows.append([place.channel.band, str(place.channel.primary), "not measured", *[""] * 6])
            continue
        rows.append(
            [
                place.channel.band,
                str(place.channel.primary),
                "not measured" if used.value is None else f"{_share(used.value)} ({used.source})",
                str(standing.co_channel_radios),
                _share(standing.co_channel_lost),
                str(standing.adjacent_radios),
                _share(standing.adjacent_lost),
                _share(standing.clear_air),
                f"{standing.expected_mbps:.0f}",
            ]
        )
    head = ["band", "channel", "utilisation", "co", "lost", "adjacent", "lost", "clear air", "Mb/s"]
    return _aligned(head, rows, {1, 3, 4, 5, 6, 7, 8})


def emitters_text(assessment: Assessment, band: str | None) -> str:
    """A paragraph for each."""
    lines: list[str] = []
    for e in assessment.emitters:
        if band not in (None, e.band):
            continue
        gone = f"; not since {iso(e.gone_since_s)[:16]}" if e.gone_since_s else ""
        lines.append(
            f"✶ {printable(emitter_title(e))}  [{e.id}]  {confidence_text(e)}, {e.level_dbm:.0f} dBm, "
            f"{_share(e.duty)} of the time{gone}" + ("  (dismissed)" if e.is_dismissed else "")
        )
        lines += [f"    {e.reasons}", *(f"    - {word}" for word in e.evidence)]
        touched = ", ".join(f"{n}: {_share(d)}" for _, n, d in e.channels)
        lines += [f"    channels {touched}"] if touched else []
        advice = ADVICE[e.kind]
        lines += [f"    Where: {advice.where}", f"    Test: {advice.test}", f"    Then: {advice.remedy}", ""]
    if not lines:
        swept = assessment.swept_bands if band is None else assessment.swept_bands & {band}
        unswept = f"{band} GHz was not swept in this window." if band else "Nothing was swept in this window."
        lines.append("Nothing but Wi-Fi was found in the sweeps." if swept else unswept)
    return "\n".join(lines).rstrip()


def brief_text(assessment: Assessment, findings: tuple[Finding, ...]) -> str:
    lines = []
    for finding in findings:
        lines.append(
            f"{MARKS[finding.severity]} {finding.subject} {HEADLINES[finding.kind]}: {finding.cause}"
        )
        lines.append(f"  {finding.effect}")
        lines.append(f"  First: {finding.first_step}")
    if not findings:
        lines.append(
            "Nothing wrong was found in what was heard." if assessment.own else "Nothing to judge yet."
        )
    lines.append("")
    lines.append("Not known yet:")
    lines += [f"  {line}" for line in assessment.not_known]
    return "\n".join(lines)


def plan_text(proposal: Proposal, band: str | None) -> str:
    lines = [f"Judged: {proposal.hours}."] if proposal.hours else []
    for move in proposal.moves:
        if band not in (None, move.radio.band) or move.before is None or move.after is None:
            continue
        to = "stay" if move.stays else f"→ {move.target.label}"
        lines.append(
            f"■ {move.radio.name} {move.radio.band} GHz  {move.source.label} {to}   "
            f"clear air {_share(move.before.clear_air)} → {_share(move.after.clear_air)}   "
            f"{move.before.expected_mbps:.0f} → {move.after.expected_mbps:.0f} Mb/s"
        )
        lines += [f"    {reason}" for reason in move.reasons]
        lines += [
            f"    or {a.channel.label}: {a.expected_mbps:.0f} Mb/s, {a.loses}" for a in move.alternatives
        ]
    if not lines:
        lines.append("No own radio was heard: name the own networks with `gray-kettle set CASE --own …`.")
    if proposal.other_steps:
        lines.append("\nOther steps:")
        lines += [
            f"  {n}. {s.what}: {s.why} {s.gain}; {s.effort}." for n, s in enumerate(proposal.other_steps, 1)
        ]
    return "\n".join(lines)


def explain_text(found: tuple[Explanation, ...]) -> str:
    """A paragraph a figure."""
    lines: list[str] = []
    for one in found:
        lines.append(f"{printable(one.title)}: {printable(one.value)}")
        lines.append(f"  {one.how}")
        width = max((len(what) for what, _, _ in one.inputs), default=0)
        lines += [
            f"    {printable(what).ljust(min(width, 44))}  {printable(value)}  {printable(source)}".rstrip()
            for what, value, source in one.inputs
        ]
        lines += [f"  Would change it: {one.changes}"] if one.changes else []
        lines += [f"  {one.source}", ""]
    return "\n".join(lines).rstrip()
