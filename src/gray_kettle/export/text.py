"""Answers as plain text and tables for a terminal or a pipe. Rich lays the tables out by terminal cells."""

import math
import sys
from typing import TYPE_CHECKING

from rich.console import Console
from rich.table import Table
from rich.text import Text

from gray_kettle.export.utc import iso
from gray_kettle.model.enums import Severity
from gray_kettle.safe_text import network_name, printable

if TYPE_CHECKING:  # each table imports what it needs
    from gray_kettle.analysis.assessment import Assessment, Finding, Network, Radio
    from gray_kettle.analysis.explain import Explanation
    from gray_kettle.analysis.inventory.since import ChangesSince
    from gray_kettle.analysis.spots import SpotBand
    from gray_kettle.model.records import Alert, TakeInfo
    from gray_kettle.planner.proposal import Proposal
    from gray_kettle.proof.prove import Result
    from gray_kettle.proof.trials import TrialResult
    from gray_kettle.site_timezone import SiteTime
    from gray_kettle.sources import SourceState

MARKS = {Severity.ACT: "▲", Severity.WATCH: "◆", Severity.NOTE: "·"}
_WIDEST = 100_000  # a pipe has no width: no cell is cut


def print_rich(content: Table | str) -> None:
    """Print a table as wide as its cells, without colours or line breaks in a row."""
    if isinstance(content, str):
        print(content)
        return
    console = Console(file=sys.stdout, width=_WIDEST, no_color=True, highlight=False, soft_wrap=True)
    with console.capture() as capture:
        console.print(content)
    print("\n".join(line.rstrip() for line in capture.get().splitlines()))


def plain_table(columns: list[str], rows: list[list[str]], right: set[int]) -> Table:
    """Rows of texts, laid out by terminal cells. right: columns set to the right."""
    table = Table(box=None, padding=(0, 2, 0, 0), show_edge=False, header_style=None)
    for number, name in enumerate(columns):
        table.add_column(Text(name), justify="right" if number in right else "left", no_wrap=True)
    for row in rows:
        table.add_row(*(Text(cell) for cell in row))  # text from the air is never markup
    return table


def _share(value: float | None) -> str:
    return "–" if value is None else f"{100 * value:.0f} %"


def _number(value: float | None, unit: str = "") -> str:
    return "–" if value is None else f"{value:.0f}{unit}"


def heard_table(radios: "tuple[Radio, ...]") -> Table:
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
                radio.known_generation or "–",
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
        "retries",
        "gen",
        "clients",
        "basic Mb/s",
        "BSSID",
        "SSIDs",
    ]
    return plain_table(head, rows, {4, 5, 6, 8, 9})


def _named(network: "Network") -> str:
    """Its SSID, marked where its beacons hide it."""
    name = network_name(network.ssid)
    return f"{name} (hidden)" if network.hidden and network.named_by else name


def takes_table(takes: "tuple[TakeInfo, ...]") -> Table:
    """Takes with what became of them; the notes of each are its last cell."""
    rows = []
    for take in takes:
        state = f"{take.state} by {take.superseded_by}" if take.superseded_by else str(take.state)
        begins = iso(take.start_s)[:16].replace("T", " ") if take.start_s else "–"
        rows.append(
            [
                str(take.number), "■" if take.counts else "□", take.source, take.kind, take.spot or "–", state,
                f"{take.records:,}", begins, " ".join(take.notes),
            ]
        )  # fmt: skip
    columns = ["take", "counts", "source", "kind", "spot", "state", "records", "begins (UTC)", "notes"]
    return plain_table(columns, rows, {0, 6})


def spots_table(rows: "tuple[SpotBand, ...]") -> Table:
    """Spots and bands, worst first."""
    lines = []
    for row in rows:
        best, second = (*row.own, None, None)[:2]
        lines.append(
            [
                row.spot,
                row.band,
                row.coverage,
                _number(row.level_dbm),
                f"{best.radio.name} {best.radio.channel.label}" if best else "–",
                f"{second.radio.name} {second.level_dbm:.0f}" if second else "–",
                f"{row.rival.radio.name} {row.rival.level_dbm:.0f}" if row.rival else "–",
                _number(row.margin_db),
            ]
        )
    columns = [
        "spot",
        "band",
        "coverage",
        "dBm",
        "best of ours",
        "next of ours",
        "loudest other on its channel",
        "margin dB",
    ]
    return plain_table(columns, lines, {3, 7})


def since_text(found: "ChangesSince") -> str:
    """New, missing and moved radios, a line each."""
    counts = f"{len(found.new)} new, {len(found.missing)} not heard any more, {len(found.moved)} moved"
    lines = [f"{counts} since {iso(found.moment_s)} ({found.scans} scans or seconds of frames)."]
    for radio in found.new:
        lines.append(f"+ {_radio_words(radio)}")
    for gone in found.missing:
        doubt = "" if gone.is_sure else ": it is faint, and may have been missed"
        lines.append(f"- {_radio_words(gone.radio)}, missed {gone.scans} times{doubt}")
    for radio, change in found.moved:
        lines.append(f"> {_radio_words(radio)}, from {change.before.label} at {iso(change.time_s)}")
    return "\n".join(lines)


def _radio_words(radio: "Radio") -> str:
    own = "■" if radio.own else "□"
    return f"{own} {radio.name} {radio.band} GHz {radio.channel.label} {_number(radio.level_dbm, ' dBm')} [{radio.id}]"


def sources_table(states: "tuple[SourceState, ...]") -> Table:
    """Kinds of sources with what is here of each, or what is missing."""
    rows = [
        ["○" if s.missing else "●", s.kind.title, ", ".join(s.here) or s.kind.example, s.missing or "ready"]
        for s in states
    ]
    return plain_table(["", "source", "take CASE …", "state"], rows, set())


def proof_table(results: "tuple[Result, ...]") -> Table:
    """Figures before and after, with the interval of the difference and what it says."""
    from gray_kettle.proof import words

    rows = []
    for result in results:
        unit = result.kind.unit
        rows.append(
            [
                result.subject,
                result.kind.title,
                words.figure(result.found.before, unit),
                words.figure(result.found.after, unit),
                words.interval(result),
                words.verdict(result),
            ]
        )
    return plain_table(["radio", "figure", "before", "after", "difference (95 %)", "verdict"], rows, {2, 3})


def trials_table(result: "TrialResult") -> Table:
    """Settings with what their runs say, the likeliest best first."""
    from gray_kettle.proof import words

    rows = []
    for found in result.settings:
        sure = not math.isnan(found.low)
        rows.append(
            [
                found.setting,
                str(found.runs),
                words.number(found.median),
                words.number(found.typical),
                f"{words.number(found.low)} to {words.number(found.high)}" if sure else "–",
                f"×/÷ {found.spread:.2f}" if sure else "–",
                "–"
                if math.isnan(found.chance_best) or len(result.settings) < 2
                else _share(found.chance_best),
            ]
        )
    heads = ["setting", "runs", "median", "typical", "interval (95 %)", "run to run", "best with"]
    return plain_table(heads, rows, {1, 2, 3, 6})


def alerts_table(alerts: "tuple[Alert, ...]", site_time: "SiteTime") -> Table:
    """What began, in the time of the site."""
    rows = [
        [f"{site_time.minute(a.time_s):%a %d %H:%M}{site_time.suffix}", str(a.kind), a.text] for a in alerts
    ]
    return plain_table(["when", "what", ""], rows, set())


def air_table(assessment: "Assessment", radio: "Radio | None", band: str | None) -> Table:
    from gray_kettle.analysis.assess import channels_seen_from

    rows = []
    for view in channels_seen_from(assessment, radio):
        if band not in (None, view.channel.band):
            continue
        used, assessed = view.utilisation, view.assessed
        if assessed is None:
            rows.append([view.channel.band, str(view.channel.primary), "not measured", *[""] * 6])
            continue
        rows.append(
            [
                view.channel.band,
                str(view.channel.primary),
                used.words + (f" ({used.source})" if used.value is not None else ""),
                str(assessed.co_channel_radios),
                _share(assessed.co_channel_lost),
                str(assessed.adjacent_radios),
                _share(assessed.adjacent_lost),
                _share(assessed.clear_air),
                f"{assessed.expected_mbps:.0f}",
            ]
        )
    head = ["band", "channel", "utilisation", "co-channel", "lost", "adjacent", "lost", "clear air", "Mb/s"]
    return plain_table(head, rows, {1, 3, 4, 5, 6, 7, 8})


def emitters_text(assessment: "Assessment", band: str | None, rows_pending: int = 0) -> str:
    """A paragraph for each emitter. rows_pending: sweep rows that could not be examined yet."""
    from gray_kettle.analysis.emitters.advice import ADVICE
    from gray_kettle.analysis.findings import confidence_text, emitter_title

    lines: list[str] = []
    for e in assessment.emitters:
        if band not in (None, e.band):
            continue
        gone = f"; not since {iso(e.gone_since_s)[:16]}" if e.gone_since_s else ""
        lines.append(
            f"✶ {printable(emitter_title(e))}  [{e.id}]  {confidence_text(e)}, {e.level_dbm:.0f} dBm, "
            f"on {_share(e.duty)} of the time{gone}"
            + ("  (dismissed)" if e.is_dismissed else "")
            + ("  (may be the receiver's own)" if e.may_be_receiver else "")
        )
        lines += [f"    {e.reasons}", *(f"    - {word}" for word in e.evidence)]
        touched = ", ".join(f"{n}: {_share(d)}" for _, n, d in e.channels)
        lines += [f"    channels {touched}"] if touched else []
        advice = ADVICE[e.kind]
        lines += [
            f"    Where: {advice.where}",
            f"    Test: {advice.test}",
            f"    Remedy: {advice.remedy}",
            "",
        ]
    if not lines:
        swept = assessment.swept_bands if band is None else assessment.swept_bands & {band}
        if rows_pending:
            lines.append(f"{rows_pending:,} sweep rows have not been examined yet.")
        elif swept:
            lines.append("No non-Wi-Fi emitter was detected in the sweeps.")
        else:
            lines.append(f"{band} GHz was not swept in this window." if band else "No sweep in this window.")
    return "\n".join(lines).rstrip()


def brief_text(assessment: "Assessment", findings: "tuple[Finding, ...]") -> str:
    lines = []
    for finding in findings:
        lines.append(f"{MARKS[finding.severity]} {finding.headline}")
        lines.append(f"  {finding.cause} {finding.effect}")
        lines.append(f"  First step: {finding.first_step}")
    if not findings:
        lines.append(
            "No problem was found in what was measured."
            if assessment.own
            else "Nothing to assess yet: name the own networks with `gray-kettle set CASE --own …`."
        )
    lines += ["", "Not known yet:", *(f"  {line}" for line in assessment.not_known)]
    return "\n".join(lines)


def plan_text(proposal: "Proposal", band: str | None) -> str:
    lines = [f"Planned for: {proposal.hours}."] if proposal.hours else []
    for move in proposal.moves:
        if band not in (None, move.radio.band) or move.before is None or move.after is None:
            continue
        to = "stay" if move.stays else f"→ {move.target.label}"
        lines.append(
            f"■ {move.radio.name} {move.radio.band} GHz  {move.source.label} {to}   "
            f"clear air {_share(move.before.clear_air)} → {_share(move.after.clear_air)}   "
            f"{move.before.expected_mbps:.0f} → {move.after.expected_mbps:.0f} Mb/s"
            + (
                f"   busy hour {move.busy_mbps[0]:.0f} → {move.busy_mbps[1]:.0f} Mb/s"
                if move.busy_mbps
                else ""
            )
        )
        lines += [f"    {reason}" for reason in move.reasons]
        lines += [
            f"    Alternative {a.channel.sided_label}: {a.expected_mbps:.0f} Mb/s, {a.loses}"
            for a in move.alternatives
        ]
    if not lines:
        lines.append(
            "No own radio in this window: name the own networks with `gray-kettle set CASE --own …`."
        )
    if proposal.other_steps:
        lines.append("\nOther steps:")
        lines += [
            f"  {n}. {s.what}: {s.why} {s.gain}; effort: {s.effort}."
            for n, s in enumerate(proposal.other_steps, 1)
        ]
    return "\n".join(lines)


def explain_text(found: "tuple[Explanation, ...]") -> str:
    """A paragraph for each figure."""
    lines: list[str] = []
    for one in found:
        lines.append(f"{printable(one.title)}: {printable(one.value)}")
        lines.append(f"  {one.how}")
        width = max((len(what) for what, _, _ in one.inputs), default=0)
        lines += [
            f"    {printable(what).ljust(min(width, 44))}  {printable(value)}  {printable(source)}".rstrip()
            for what, value, source in one.inputs
        ]
        lines += [f"  What would change it: {one.changes}"] if one.changes else []
        lines += [f"  {one.source}", ""]
    return "\n".join(lines).rstrip()
