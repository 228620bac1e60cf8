"""The part for a colleague: what was measured, what was found, the plan, what was changed, and what came of it."""

from collections.abc import Iterator
from functools import partial

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.spots import spot_table
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.export.report.blocks import Block, Bullets, Drawing, Facts, Heading, Paragraph, Table
from gray_kettle.export.report.catalogue import N_, _, ngettext
from gray_kettle.export.report.material import Material
from gray_kettle.model.enums import Severity
from gray_kettle.model.records import TakeInfo
from gray_kettle.planner.change_sheet import one_at_a_time, sheet_of
from gray_kettle.planner.proposal import Move
from gray_kettle.proof import words
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.prove import Result
from gray_kettle.safe_text import dbm, printable
from gray_kettle.session import Session

_MOST_FINDINGS, _MOST_RESULTS, _MOST_TAKES, _MOST_HOURS = 80, 120, 60, 48
_SEVERITIES = {
    Severity.ACT: N_("to act on"),
    Severity.WATCH: N_("to watch"),
    Severity.NOTE: N_("to note"),
}


def colleague_part(material: Material) -> list[Block]:
    blocks: list[Block] = []
    for part in (_measured, _findings, _air, _plan, _proof, _trials):
        blocks += part(material)
    return blocks


def percent(share: float | None) -> str:
    return "–" if share is None else f"{100 * share:.0f} %"


def _span(session: Session) -> str:
    seen, site_time = session.observations, session.setup.site_time
    start, end = site_time.minute(seen.start_s), site_time.minute(seen.end_s)
    return f"{start:%a %d %b %Y %H:%M} – {end:%a %d %b %Y %H:%M} ({site_time.name})"


def _measured(material: Material) -> Iterator[Block]:
    now = material.now
    yield Heading(1, _("What was measured"))
    pairs = [(_("window that the advice is for"), _span(now))]
    if material.before:
        pairs.append((_("window before the change"), _span(material.before)))
    counted = [take for take in material.takes if take.counts]
    spots = sorted({printable(t.spot) for t in counted if t.spot})
    pairs += [
        (_("takes that count"), f"{len(counted):,}"),
        (_("spots"), ", ".join(spots) or _("none was named")),
        (_("radios heard"), f"{len(now.assessment.radios):,}"),
        (_("sweeps"), ", ".join(f"{b} GHz" for b in sorted(now.assessment.swept_bands)) or _("none")),
    ]
    yield Facts(tuple(pairs))
    rows = [_take_row(take, now) for take in counted[:_MOST_TAKES]]
    if rows:
        heads = (_("take"), _("from"), _("kind"), _("spot"), _("records"), _("begins"), _("ends"))
        left = len(counted) - len(rows)
        caption = ngettext("One more take is not listed.", "{count} more takes are not listed.", left)
        yield Table(
            heads, tuple(rows), (0.06, 0.27, 0.14, 0.14, 0.11, 0.14, 0.14), frozenset({0, 4}),
            caption=caption.format(count=left) if left else "",
        )  # fmt: skip
    yield Heading(2, _("What was not measured, or is assumed"))
    missing = [*now.assessment.not_known, *now.incomplete]
    assumed = [
        _("{radio}: the level of its clients is assumed, {level}.").format(
            radio=f"{printable(v.radio.name)} {v.radio.band} GHz", level=dbm(v.client_level_dbm)
        )
        for v in now.assessment.own
        if v.client_level_assumed
    ]
    items = tuple(("", printable(text)) for text in (*missing, *assumed))
    yield Bullets(items) if items else Paragraph(_("Nothing that would change the advice."))


def _take_row(take: TakeInfo, session: Session) -> tuple[str, ...]:
    moment = session.setup.site_time.minute
    start, end = (f"{moment(t):%d %b %H:%M}" if t else "–" for t in (take.start_s, take.end_s))
    source = take.source.rsplit("/", 1)[-1]
    return (
        str(take.number),
        printable(source),
        take.kind,
        printable(take.spot) or "–",
        f"{take.records:,}",
        start,
        end,
    )


def _findings(material: Material) -> Iterator[Block]:
    yield Heading(1, _("Findings"))
    findings = material.now.proposal.findings
    if not findings:
        yield Paragraph(_("Nothing was found that needs a change."))
    yield from _finding_blocks(findings)
    if material.before:
        yield Heading(2, _("Before the change"))
        rows = tuple(
            (_(_SEVERITIES[f.severity]), printable(f.headline), printable(f.effect))
            for f in material.before.assessment.findings[:_MOST_FINDINGS]
        )
        yield Table(
            (_("how urgent"), _("finding"), _("effect")), rows, (0.12, 0.36, 0.52), key=frozenset({1})
        )


def _finding_blocks(findings: tuple[Finding, ...]) -> Iterator[Block]:
    severity = None
    for finding in findings[:_MOST_FINDINGS]:
        if finding.severity is not severity:
            severity = finding.severity
            yield Heading(2, _("Findings {how}").format(how=_(_SEVERITIES[severity])))
        yield Heading(3, printable(finding.headline))
        yield Paragraph(printable(f"{finding.cause} {finding.effect}"))
        yield Paragraph(printable(finding.first_step), lead=_("First step:"))
    left = len(findings) - _MOST_FINDINGS
    if left > 0:
        yield Paragraph(
            ngettext("One more is not listed.", "{count} more are not listed.", left).format(count=left)
        )


def _air(material: Material) -> Iterator[Block]:
    from gray_kettle.export.drawings import lanes_figure, share_chart_figure, sweep_figure, waterfall_figure

    yield Heading(1, _("The air, band by band"))
    for band in material.bands:
        yield Heading(2, f"{band} GHz")
        if not material.own_only:
            words_ = _(
                "Radios of {band} GHz over the frequencies that they fill, and the clear air of each channel."
            )
            yield Drawing(
                partial(lanes_figure, material.now, band), words_.format(band=band), words_.format(band=band)
            )
        words_ = _("Clear air and losses of each own radio on every channel of {band} GHz.").format(band=band)
        yield Drawing(partial(share_chart_figure, material.now, band), words_, words_)
        if band in material.sweeps:
            swept = material.sweeps[band]
            words_ = _(
                "Share of time at each level and frequency in {band} GHz, with the strongest and the mean."
            )
            yield Drawing(partial(sweep_figure, swept), words_.format(band=band), words_.format(band=band))
            words_ = _("What was on the air in {band} GHz over time, with the emitters that were detected.")
            yield Drawing(
                partial(waterfall_figure, swept), words_.format(band=band), words_.format(band=band)
            )
    rows = spot_table(material.now.inventory.radios, thresholds_of(material.now.setup))
    if rows:
        yield Heading(2, _("Coverage of the spots"))
        yield Table(
            (_("spot"), _("band"), _("coverage"), _("level"), _("best of ours"), _("loudest other")),
            tuple(
                (
                    printable(row.spot),
                    row.band,
                    str(row.coverage),
                    "–" if row.level_dbm is None else dbm(row.level_dbm),
                    f"{printable(row.own[0].radio.name)} {row.own[0].radio.channel.label}"
                    if row.own
                    else "–",
                    f"{printable(row.rival.radio.name)} {dbm(row.rival.level_dbm)}" if row.rival else "–",
                )
                for row in rows
            ),
            (0.2, 0.08, 0.15, 0.13, 0.22, 0.22),
            frozenset({3}),
        )


def _plan(material: Material) -> Iterator[Block]:
    proposal = material.now.proposal
    yield Heading(1, _("Plan"))
    if proposal.hours:
        yield Paragraph(_("Planned for: {hours}.").format(hours=proposal.hours))
    if not proposal.moves:
        yield Paragraph(_("No own radio was observed in this window: there is nothing to plan."))
        return
    quality = (
        _("No better set of channels exists under this model.")
        if proposal.proved
        else _("It was searched, not proved: the bound leaves room for {room} log units.").format(
            room=f"{proposal.bound - proposal.score:.2f}"
        )
    )
    yield Paragraph(quality)
    yield Table(
        (_("radio"), _("now"), _("proposed"), _("clear air"), _("throughput, Mb/s"), _("busy hour, Mb/s")),
        tuple(_move_row(move) for move in proposal.moves),
        (0.24, 0.12, 0.14, 0.17, 0.17, 0.16),
        frozenset({3, 4, 5}),
    )
    yield Heading(2, _("Reasons and alternatives"))
    for move in proposal.moves:
        to = _("stays on {channel}").format(channel=move.source.label) if move.stays else (
            f"{move.source.label} → {move.target.label}"
        )  # fmt: skip
        yield Heading(3, f"{printable(move.radio.name)} {move.radio.band} GHz: {to}")
        others = [
            (_("Alternative"), f"{a.channel.sided_label}: {a.expected_mbps:.0f} Mb/s, {printable(a.loses)}")
            for a in move.alternatives
        ]
        yield Bullets(tuple(("", printable(reason)) for reason in move.reasons) + tuple(others))
    yield from _order(material)


def _move_row(move: Move) -> tuple[str, ...]:
    before, after, busy = move.before, move.after, move.busy_mbps
    to = _("stays") if move.stays else move.target.label
    return (
        f"{printable(move.radio.name)} {move.radio.band} GHz",
        move.source.label,
        to,
        f"{percent(before.clear_air)} → {percent(after.clear_air)}" if before and after else "–",
        f"{before.expected_mbps:.0f} → {after.expected_mbps:.0f}" if before and after else "–",
        f"{busy[0]:.0f} → {busy[1]:.0f}" if busy else "–",
    )


def _order(material: Material) -> Iterator[Block]:
    proposal = material.now.proposal
    sheet = sheet_of(proposal, material.now.setup)
    if sheet.changes:
        yield Heading(2, _("Order of the changes"))
        if one_at_a_time(sheet):
            yield Paragraph(one_at_a_time(sheet))
        yield Bullets(
            tuple(
                (f"{line.radio}:", f"{line.now.label} → {line.to.label}. {line.why}")
                for line in sheet.changes
            ),
            True,
        )
    if proposal.other_steps:
        yield Heading(2, _("Other steps"))
        yield Bullets(
            tuple(
                (f"{printable(s.what)}:", printable(f"{s.why} {s.gain}; {_('effort')}: {s.effort}."))
                for s in proposal.other_steps
            ),
            True,
        )


def _proof(material: Material) -> Iterator[Block]:
    from gray_kettle.export.drawings import proof_figure

    proof, setup = material.proof, material.now.setup
    yield Heading(1, _("Changes, and what came of them"))
    if proof is None:
        yield Paragraph(_("Nothing was changed yet, or there is nothing to compare it with."))
        return
    yield Heading(2, _("Changes"))
    yield Bullets(tuple(("", line) for line in words.changes(proof.changes, setup.site_time)))
    if proof.together:
        yield Paragraph(
            _("Changes that were made at one time cannot be told apart in what they did to a radio.")
        )
    yield Heading(2, _("Before and after"))
    counts = ", ".join(f"{proof.count(v)} {v}" for v in Verdict)
    yield Paragraph(f"{counts}. {words.record(proof)} {words.too_early(proof)}".strip())
    if proof.absent:
        names = ", ".join(map(printable, proof.absent))
        yield Paragraph(_("Not compared, as not heard on both sides: {names}.").format(names=names))
    site, site_time = setup.site, setup.site_time
    caption = _(
        "The difference of each figure with its interval (95 %), in the smallest differences that matter."
    )
    yield Drawing(lambda: proof_figure(proof, site, site_time), caption, caption)
    # Those without a change are drawn; listed are what changed, and what the model expected and did not come.
    changed = [r for r in proof.results if r.verdict in (Verdict.BETTER, Verdict.WORSE)]
    wrong = [r for r in proof.results if r not in changed and r.is_expected is False]
    shown = [*changed, *wrong][:_MOST_RESULTS]
    if shown:
        left = len(proof.results) - len(shown)
        caption = ngettext("One more figure shows no change or has too little data.",
                           "{count} more figures show no change or have too little data.", left)  # fmt: skip
        yield Table(
            (_("radio"), _("figure"), _("before"), _("after"), _("difference (95 %)"), _("verdict")),
            tuple(map(_result_row, shown)),
            (0.17, 0.21, 0.1, 0.1, 0.18, 0.24),
            frozenset({2, 3}),
            caption=caption.format(count=left) if left else "",
        )
    yield from _soak(material)


def _result_row(result: Result) -> tuple[str, ...]:
    unit, found = result.kind.unit, result.found
    return (
        printable(result.subject),
        result.kind.title,
        words.figure(found.before, unit),
        words.figure(found.after, unit),
        words.interval(result),
        words.verdict(result),
    )


def _soak(material: Material) -> Iterator[Block]:
    proof, site_time = material.proof, material.now.setup.site_time
    if proof is None or proof.soak is None:
        return
    yield Heading(2, _("Soak: the hours after the change"))
    yield Paragraph(printable(words.soak_progress(proof.soak, site_time)))
    if proof.soak.events:
        yield Bullets(tuple(("", printable(words.event(e, site_time))) for e in proof.soak.events))
    yield Table(
        (_("hour"), _("clear air, mean"), _("radio with least"), _("its clear air")),
        tuple(
            (
                f"{site_time.minute(h.start_s):%a %d %b %H:%M}",
                percent(h.clear_air),
                printable(h.worst),
                percent(h.worst_clear_air),
            )
            for h in proof.soak.hours[:_MOST_HOURS]
        ),
        (0.25, 0.25, 0.3, 0.2),
        frozenset({1, 3}),
    )


def _trials(material: Material) -> Iterator[Block]:
    if not material.trials:
        return
    yield Heading(1, _("Trials"))
    for result in material.trials:
        by = words.measured_by(result)
        yield Heading(3, _("Download in Mb/s {by}").format(by=printable(by)).strip())
        rows = tuple(
            (
                printable(s.setting),
                str(s.runs),
                words.number(s.median),
                words.number(s.low),
                words.number(s.high),
            )
            for s in result.settings
        )
        heads = (_("setting"), _("runs"), _("median"), _("from"), _("to (95 %)"))
        yield Table(heads, rows, (0.28, 0.18, 0.18, 0.18, 0.18), frozenset({1, 2, 3, 4}))
        yield Paragraph(printable(words.best(result)))
