"""From detections to emitters: repeated detections of one emitter are one track, with its hours and its note.

Source: docs/radio-model.md, "One emitter, many detections".
"""

from collections.abc import Iterable
from dataclasses import replace

from gray_kettle.analysis.assessment import Assessment, Emitter, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.emitters.persistence import (
    BlockDetection,
    BlockRun,
    block_runs,
    may_miss_mains_phase,
    step_s,
    undetected_between,
    without_chance_detections,
)
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection, DetectionBlock, Observations
from gray_kettle.model.setup import EmitterNote, Setup
from gray_kettle.phy.channels import Channel

_SAME_LEVEL_DB = 12.0  # of one emitter at one spot from one block to another
_LEAST_OVERLAP = 0.5
_GONE_BLOCKS = 2  # later blocks without it after which it is gone
_BRIEF_S, _OFTEN = 60.0, 0.05
_CONFUSABLE = {"bluetooth", "frequency-hopper"}  # # that one block may separate and another may not
_FLAT = {"point-to-point", "broadband-noise", "cellular-carrier", "unknown"}
_LEAST_CONFIDENCE = 0.3


def find_emitters(observations: Observations, setup: Setup, radios: tuple[Radio, ...]) -> tuple[Emitter, ...]:
    """Every emitter of the window; those that occupy most time and bandwidth first."""
    entries: list[list[BlockDetection]] = []
    for block in observations.detection_blocks:
        here: list[list[BlockDetection]] = []
        for detection in block.detections:
            if _is_in(detection, observations) and not _is_radio(detection, radios):
                free = [e for e in entries if not any(e is h for h in here)]
                entry = _entry_of(block, detection, free)
                if entry is None:
                    entry = []
                    entries.append(entry)
                entry.append((block, detection))
                here.append(entry)
    runs = block_runs(observations.detection_blocks)
    found = []
    for entry in entries:
        kept = without_chance_detections(entry, runs)
        emitter = _emitter(kept or entry, observations.detection_blocks, runs, setup.emitters)
        if kept or note_for(emitter, setup.emitters) is not None:  # an emitter with a note stays
            found.append(emitter)
    ordered = sorted(found, key=lambda e: (e.is_dismissed, -e.duty * e.bandwidth_hz, e.centre_hz))
    return tuple(_numbered(ordered))


def _is_in(detection: Detection, observations: Observations) -> bool:
    """Whether it was on in the window: blocks reach beyond it."""
    return detection.last_s >= observations.start_s and detection.first_s <= observations.end_s


def _is_radio(detection: Detection, radios: tuple[Radio, ...]) -> bool:
    """A saturated channel appears flat and as wide as a channel: where a radio is known there, it is that radio."""
    if detection.kind not in _FLAT:
        return False
    fast_median, width = (detection.low_hz + detection.high_hz) / 2, detection.high_hz - detection.low_hz
    return any(
        abs(centre_hz - fast_median) < 1.5e6 and 0.8 < width / width_hz < 1.12
        for radio in radios
        for stay in radio.stays
        for centre_hz, width_hz in stay.channel.segments
    )


def _entry_of(
    block: DetectionBlock, detection: Detection, entries: Iterable[list[BlockDetection]]
) -> list[BlockDetection] | None:
    """The track that this detection continues: same kind and frequency, and same level at the same spot."""
    best: tuple[float, list[BlockDetection]] | None = None
    for entry in entries:
        last_block, last = entry[-1]
        if not _same_kind(detection, last):
            continue
        low, high = min(s.low_hz for _, s in entry), max(s.high_hz for _, s in entry)
        overlap = min(detection.high_hz, high) - max(detection.low_hz, low)
        share = overlap / max(min(detection.high_hz - detection.low_hz, high - low), 1.0)
        away_db = abs(detection.level_dbm - last.level_dbm) if block.spot == last_block.spot else 0.0
        if share >= _LEAST_OVERLAP and away_db <= _SAME_LEVEL_DB:
            score = share - away_db / 20
            if best is None or score > best[0]:
                best = (score, entry)
    return best[1] if best else None


def _same_kind(one: Detection, other: Detection) -> bool:
    if one.kind == other.kind or {one.kind, other.kind} <= _CONFUSABLE:
        return True
    # An unknown one may be of the kind of the other.
    return "unknown" in (one.kind, other.kind) and bool(
        {k for k, p in one.likely if p > 0.1} & {k for k, p in other.likely if p > 0.1} - {"unknown"}
    )


def _emitter(
    entry: list[BlockDetection],
    all_blocks: tuple[DetectionBlock, ...],
    runs: tuple[BlockRun, ...],
    notes: tuple[EmitterNote, ...],
) -> Emitter:
    likely = _kind_probabilities(entry)
    kind, confidence = likely[0]
    strongest = max((s for _, s in entry), key=lambda s: (s.kind == kind, s.rows))
    blocks = [
        k for k in all_blocks if k.low_hz <= strongest.low_hz + 1e6 and k.high_hz >= strongest.high_hz - 1e6
    ]
    own = {id(k): k for k, _ in entry}
    if kind == "microwave-oven":
        # Rows that are far apart cannot show the mains rhythm, nor can a few that are in step with it.
        blocks = [k for k in blocks if step_s(k) <= 1.0] or blocks
        blocks = [k for k in blocks if id(k) in own or not may_miss_mains_phase(k, own.values())]
    blocks = blocks or list(
        own.values()
    )  # an emitter that reaches beyond the span is seen in it all the same
    spots = {k.spot for k, _ in entry}
    blocks = [k for k in blocks if k.spot in spots]
    all_s = sum(_length_s(k) for k in blocks) or 1.0
    # Time that is not in the whole must not be in the part: blocks that could not show it say nothing of it.
    counted = {id(k) for k in blocks}
    present = [(k, s) for k, s in entry + undetected_between(entry, runs) if id(k) in counted] or entry
    on_s = sum(_length_s(k) for k, _ in present)
    busy_s = sum(_length_s(k) * s.duty for k, s in present)
    by_channel: dict[tuple[str, int], float] = {}
    for k, s in present:
        for band, number, duty in s.channels:
            by_channel[band, number] = by_channel.get((band, number), 0.0) + duty * _length_s(k)
    low, high = _extent(entry, kind)
    last_s = max(s.last_s for _, s in entry)
    later = [k for k in blocks if k.start_s > last_s]
    end_s = max((k.end_s for k in blocks), default=last_s)
    # One that is rarely on may still be present.
    is_gone = len(later) >= _GONE_BLOCKS or (end_s - last_s > _BRIEF_S and busy_s > _OFTEN * on_s)
    made = Emitter(
        id="",
        kind=kind,
        confidence=round(confidence, 3),
        likely=likely,
        low_hz=low,
        high_hz=high,
        burst_hz=strongest.burst_hz,
        level_dbm=round(max(s.level_dbm for _, s in entry), 1),
        duty=round(min(busy_s / all_s, 1.0), 4),
        duty_while_on=round(min(busy_s / max(on_s, 1e-9), 1.0), 4),
        first_s=min(s.first_s for _, s in entry),
        last_s=last_s,
        gone_since_s=last_s if is_gone else None,
        channels=tuple((b, n, round(min(t / all_s, 1.0), 4)) for (b, n), t in sorted(by_channel.items())),
        evidence=strongest.evidence,
        reasons=_reasons(kind, likely, strongest),
        hours=_hours(present, blocks),
        blocks=(len(entry), len(blocks)),
        episodes=tuple((s.first_s, s.last_s) for _, s in entry),
        spot=max(entry, key=lambda e: e[1].level_dbm)[0].spot,
        may_be_receiver=2 * sum(s.may_be_receiver for _, s in entry) > len(entry),
    )
    return _with_note(made, notes)


def _kind_probabilities(entry: list[BlockDetection]) -> tuple[tuple[EmitterKind, float], ...]:
    """Kinds by probability over all detections, weighted by rows. Repetition does not raise the confidence."""
    total: dict[EmitterKind, float] = {}
    rows = sum(s.rows for _, s in entry)
    for _, detection in entry:
        for kind, share in detection.likely:
            total[kind] = total.get(kind, 0.0) + share * detection.rows / rows
    ordered = sorted(((k, round(v, 4)) for k, v in total.items()), key=lambda item: (-item[1], item[0]))
    if ordered[0][1] < _LEAST_CONFIDENCE and ordered[0][0] != "unknown":
        rest = [(k, v) for k, v in ordered if k != EmitterKind.UNKNOWN]
        ordered = [(EmitterKind.UNKNOWN, ordered[0][1]), *rest]
    return tuple(ordered)


def _extent(entry: list[BlockDetection], kind: str) -> tuple[float, float]:
    """Lowest and highest frequency, Hz; the outermost tenth of the detections at each end is skipped."""
    same = [s for _, s in entry if s.kind == kind] or [s for _, s in entry]
    lows, highs = sorted(s.low_hz for s in same), sorted(s.high_hz for s in same)
    return lows[len(lows) // 10], highs[-1 - len(highs) // 10]


def _length_s(block: DetectionBlock) -> float:
    return block.end_s - block.start_s + step_s(block)


def _hours(entry: list[BlockDetection], blocks: list[DetectionBlock]) -> tuple[tuple[int, float], ...]:
    """(hour UTC, share of the blocks of that hour that show it) for hours with sweeps."""
    detected = {id(k) for k, _ in entry}
    by_hour: dict[int, list[int]] = {}
    for k in blocks:
        by_hour.setdefault(int(k.start_s // 3600) % 24, []).append(int(id(k) in detected))
    return tuple((hour, round(sum(marks) / len(marks), 3)) for hour, marks in sorted(by_hour.items()))


def _reasons(kind: EmitterKind, likely: tuple[tuple[EmitterKind, float], ...], detection: Detection) -> str:
    """In one sentence: the likeliest kind, why, and what else it could be."""
    because = "; ".join(detection.evidence[:2])
    others = [ADVICE[k].called for k, share in likely[1:] if share >= 0.05 and k != "unknown"]
    also = f" It could also be: {', '.join(others)}." if others else ""
    if kind == "unknown":
        nearest = next((ADVICE[k].called for k, share in likely if k != "unknown" and share >= 0.1), "")
        noted = (
            f"Closest to {nearest}, but the evidence is too weak to say so"
            if nearest
            else "It fits no known kind"
        )
        return f"{noted}: {because}.{also if not nearest else ''}"
    return f"Most likely {ADVICE[kind].called}: {because}.{also}"


def note_for(emitter: Emitter, notes: tuple[EmitterNote, ...]) -> EmitterNote | None:
    """The note on an emitter, matched by the kind and frequency that it was detected with."""
    for note in reversed(notes):
        near_hz = max(0.5 * max(note.bandwidth_hz, emitter.bandwidth_hz), 1e6)
        if note.found == emitter.found_kind and abs(note.centre_hz - emitter.centre_hz) <= near_hz:
            return note
    return None


def note_of(emitter: Emitter) -> EmitterNote:
    """A note with what is known of an emitter: change it and add it to the others."""
    kind = str(emitter.kind) if emitter.was_found_as else ""
    return EmitterNote(
        emitter.found_kind, emitter.centre_hz, emitter.bandwidth_hz, emitter.name, kind, emitter.is_dismissed
    )


def _with_note(emitter: Emitter, notes: tuple[EmitterNote, ...]) -> Emitter:
    note = note_for(emitter, notes)
    if note is None:
        return emitter
    noted = replace(emitter, name=note.name, is_dismissed=note.is_dismissed)
    if note.kind:
        noted = replace(noted, kind=EmitterKind(note.kind), confidence=1.0, was_found_as=emitter.kind)
    return noted


def _numbered(emitters: list[Emitter]) -> list[Emitter]:
    """With ids of kind and frequency; a second one at the same frequency gets a number."""
    out, used = [], dict[str, int]()
    for emitter in emitters:
        name = f"{emitter.found_kind}@{emitter.centre_hz / 1e6:.0f}"
        used[name] = used.get(name, 0) + 1
        out.append(replace(emitter, id=name if used[name] == 1 else f"{name}-{used[name]}"))
    return out


def non_wifi_share(assessment: Assessment, place: Channel) -> float:
    """Share of time that non-Wi-Fi emitters occupy a 20 MHz channel; they are assumed to be independent."""
    left = 1.0
    for emitter in assessment.emitters:
        duty = {(b, n): d for b, n, d in emitter.channels}.get((place.band, place.primary), 0.0)
        left *= 1 - duty
    return round(1 - left, 4)
