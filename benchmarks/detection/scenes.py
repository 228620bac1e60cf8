"""Scenes with truth: of our own simulator, and of any other that writes rows and truth into a folder.

A folder holds scene_NNN.npz (time, half_db, start_hz, step_hz, chunk_hz, instrument as JSON) and scene_NNN.truth.json
(emitters with kind, centre_hz, bandwidth_hz, level_dbm, detectable; channels with non_wifi_duty; wifi; band).
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from benchmarks.detection import hard_scenes
from gray_kettle.model.enums import Detector, EmitterKind
from gray_kettle.model.records import FloatArray, Span
from gray_kettle.simulator.spectra.random_receivers import SAMPLED, with_receiver
from gray_kettle.simulator.spectra.random_scenes import (
    DEVELOPMENT,
    HELD_OUT,
    REFLECTED,
    SECOND,
    THIRD,
    ByChance,
    by_chance,
)
from gray_kettle.simulator.spectra.transmitters import WIFI
from gray_kettle.spectrum.quantise import Codes, to_codes

RANGES = {
    "development": DEVELOPMENT, "second": SECOND, "third": THIRD, "reflected": REFLECTED, "held-out": HELD_OUT,
}  # fmt: skip
RECEIVERS = ("stepped", "whole", "swept")
LEAST_VISIBLE = 0.01  # share of rows from which an emitter of our own simulator should be found
_FEWEST_ROWS = 5
_MOST_ROWS = 2048  # a block of a case
_MOST_CELLS, _FEWEST_AVERAGED = 6_000_000, 200
KINDS = {
    "microwave_transformer": EmitterKind.MICROWAVE_OVEN,
    "microwave_inverter": EmitterKind.MICROWAVE_OVEN,
    "bt_classic": EmitterKind.BLUETOOTH,
    "ble_conn": EmitterKind.BLUETOOTH,
    "ble_adv": EmitterKind.BLE_ADVERTISING,
    "cordless24": EmitterKind.FREQUENCY_HOPPER,
    "audio_hopper": EmitterKind.FREQUENCY_HOPPER,
    "baby_fhss": EmitterKind.FREQUENCY_HOPPER,
    "rc_link": EmitterKind.FREQUENCY_HOPPER,
    "cordless58": EmitterKind.FREQUENCY_HOPPER,
    "ieee802154": EmitterKind.IEEE_802_15_4,
    "analog_video": EmitterKind.ANALOGUE_VIDEO,
    "baby_fm": EmitterKind.ANALOGUE_VIDEO,
    "fpv58": EmitterKind.ANALOGUE_VIDEO,
    "cw": EmitterKind.CONTINUOUS_CARRIER,
    "motion_sensor": EmitterKind.CONTINUOUS_CARRIER,
    "narrow_fm": EmitterKind.NARROWBAND_FM,
    "jammer": EmitterKind.BROADBAND_NOISE,
    "radar": EmitterKind.RADAR,
    "p2p_ofdm": EmitterKind.POINT_TO_POINT,
}
_BANDS = {"2.4": "2.4", "5low": "5", "5high": "5", "6": "6"}


@dataclass(frozen=True)
class TrueEmitter:
    """What one really is. name: as its simulator calls it; is_detectable: it stands out in enough rows."""

    name: str
    kind: EmitterKind
    low_hz: float
    high_hz: float
    level_dbm: float
    is_detectable: bool


@dataclass(frozen=True, eq=False)
class LabelledScene:
    """Rows and truth. channels: true share of time of all emitters by (band, number), None where that is not known."""

    name: str
    group: str
    span: Span
    time_s: FloatArray
    codes: Codes
    offset_s: "np.ndarray | None"
    emitters: tuple[TrueEmitter, ...]
    channels: dict[tuple[str, int], float] | None
    has_wifi: bool


def from_folder(folder: Path, as_swept: bool = True) -> Iterator[LabelledScene]:
    """Scenes of another simulator. as_swept: what measures piece by piece is given as a sweep, as files without the
    times of pieces do; else with them.
    """
    for path in sorted(folder.glob("scene_*.npz")):
        yield one_of_folder(path, as_swept)


def one_of_folder(path: Path, as_swept: bool = True) -> LabelledScene:
    """One scene of a folder."""
    data, truth = np.load(path), json.loads(path.with_suffix(".truth.json").read_text())
    instrument = json.loads(str(data["instrument"]))
    codes = to_codes(data["half_db"].astype(np.float32) / 2)[:_MOST_ROWS]
    step, is_swept = float(data["step_hz"]), instrument["kind"] == "swept"
    pieces, offset_s = (0,), None
    if is_swept and not as_swept:
        width = round(float(data["chunk_hz"]) / step)
        pieces = tuple(range(0, codes.shape[1], width))
        offset_s = (data["chunk_time"].T - data["time"][:, None])[:_MOST_ROWS].astype(np.float32)
    span = Span(
        float(data["start_hz"]), step, codes.shape[1], pieces=pieces, detector=Detector(instrument["agg"]),
        averages=int(instrument["frames"]), sweep_s=1 / instrument["rate"] if is_swept and as_swept else 0.0,
    )  # fmt: skip
    emitters = tuple(
        TrueEmitter(
            e["kind"], KINDS[e["kind"]], e["centre_hz"] - e["bandwidth_hz"] / 2, e["centre_hz"] + e["bandwidth_hz"] / 2,
            e["level_dbm"], bool(e["detectable"]),
        )
        for e in truth["emitters"]
    )  # fmt: skip
    channels = {
        (_BANDS[truth["band"]], int(number)): float(c["non_wifi_duty"])
        for number, c in truth["channels"].items()
    }
    group = "swept" if is_swept else "all at once"
    time_s = data["time"][:_MOST_ROWS]
    return LabelledScene(
        f"{path.parent.name} {path.stem}",
        group,
        span,
        time_s,
        codes,
        offset_s,
        emitters,
        channels,
        bool(truth["wifi"]),
    )


def of_our_own(ranges: str, number: int, mode: str) -> LabelledScene:
    """A scene of our own simulator. mode: "plain", "wifi" (alone), or a receiver with its faults before "emitters",
    "wifi" or "nothing", such as "swept nothing"; "averaged" before "emitters" or "wifi"; or "hard" (hard_scenes).
    """
    made = _made(ranges, number, mode)
    span = made.instrument.span
    codes = hard_scenes.noise_codes(number, made) if mode == "hard" else None
    if codes is None:
        codes = np.concatenate(
            [to_codes(r.levels_dbm) for r in made.scene.rows(made.instrument, made.time_s)]
        )
    truth = made.scene.truth(span, float(made.time_s[0]), float(made.time_s[-1]) + 0.1)
    visible = dict(
        zip(
            (t.name for t in made.scene.transmitters),
            made.scene.standing(made.instrument, made.time_s),
            strict=True,
        )
    )
    emitters = tuple(
        TrueEmitter(
            str(t.kind), EmitterKind(t.kind), t.low_hz, t.high_hz, t.level_dbm,
            bool(visible[t.name] >= LEAST_VISIBLE and visible[t.name] * len(made.time_s) >= _FEWEST_ROWS),
        )
        for t in truth
        if t.kind != WIFI
    )  # fmt: skip
    free: dict[tuple[str, int], float] = {}
    for t in truth:
        if t.kind != WIFI:
            for band, number_, duty in t.channels:
                free[band, number_] = free.get((band, number_), 1.0) * (1 - duty)
    offsets = made.instrument.offsets_s(len(made.time_s)) if made.instrument.step_s else None
    some = slice(0, _MOST_ROWS)
    return LabelledScene(
        f"{ranges} {number} {mode}", mode, span, made.time_s[some], codes[some],
        None if offsets is None else offsets[some], emitters, {k: 1 - v for k, v in free.items()},
        any(t.kind == WIFI for t in truth),
    )  # fmt: skip


def _made(ranges: str, number: int, mode: str) -> ByChance:
    if mode == "hard":
        return hard_scenes.made(number)
    if mode.startswith("averaged"):
        return _averaged(by_chance(number + 20_000, RANGES[ranges], mode.endswith("wifi")), number)
    if mode in ("plain", "wifi"):
        return by_chance(number + (10_000 if mode == "wifi" else 0), RANGES[ranges], mode == "wifi")
    receiver, before = mode.split()
    return with_receiver(number, RANGES[ranges], receiver, before == "wifi", before == "emitters")


def _averaged(made: ByChance, number: int) -> ByChance:
    """The same scene before a receiver whose rows sum up, or keep the highest of, frames that lie between two rows."""
    rng = np.random.default_rng([number, 9])
    rate = 1 / float(np.median(np.diff(made.time_s)))
    detector = Detector.MEAN if rng.random() < 0.5 else Detector.MAX
    span = replace(
        made.instrument.span, sweep_s=0.0, detector=detector, averages=int(rng.choice([4, 8, 16, 32, 64]))
    )
    spread_s = float(rng.choice([0.02, 0.3, 0.8])) / rate
    instrument = replace(made.instrument, span=span, hold_s=0.0, spread_s=spread_s)
    rows = max(min(len(made.time_s), _MOST_CELLS // (span.bins * span.averages)), _FEWEST_AVERAGED)
    return replace(made, instrument=instrument, time_s=made.time_s[:rows])


def our_own_jobs(ranges: str, scenes: int, first: int = 0) -> list[tuple[str, int, str]]:
    """A mixture: plain scenes, a quarter as many with Wi-Fi alone, and receivers as they are. "averaged RANGES": rows
    that sum up many frames, a third as many scenes with Wi-Fi alone; "sampled RANGES": receivers from samples, a third
    of them before Wi-Fi alone or nothing; "hard": hard_scenes.
    """
    if ranges == "hard":
        return [(ranges, k, "hard") for k in range(first, first + scenes)]
    if ranges.startswith("sampled"):
        name = ranges.split()[1]
        before = [*["emitters"] * 4, "wifi", "nothing"]
        return [(name, k, f"{SAMPLED[k % 2]} {before[k // 2 % 6]}") for k in range(first, first + scenes)]
    if ranges.startswith("averaged"):
        name = ranges.split()[1]
        jobs = [(name, k, "averaged emitters") for k in range(first, first + scenes)]
        return jobs + [(name, k, "averaged wifi") for k in range(first, first + scenes // 3)]
    jobs = [(ranges, k, "plain") for k in range(first, first + scenes)]
    jobs += [(ranges, k, "wifi") for k in range(first, first + scenes // 4)]
    for receiver in RECEIVERS:
        jobs += [(ranges, k, f"{receiver} emitters") for k in range(first, first + scenes // 6)]
        jobs += [(ranges, k, f"{receiver} wifi") for k in range(first, first + scenes // 12)]
        jobs += [(ranges, k, f"{receiver} nothing") for k in range(first, first + scenes // 12)]
    return jobs
