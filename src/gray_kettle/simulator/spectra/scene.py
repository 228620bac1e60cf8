"""A scene: transmitters before an instrument. Gives sweep rows, and the truth beside them."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import FloatArray, Span, SweepRows
from gray_kettle.simulator.spectra.bursts import Bursts, Floats, Ints
from gray_kettle.simulator.spectra.iq_frames import FrontEnd
from gray_kettle.simulator.spectra.receiver_faults import Faults
from gray_kettle.simulator.spectra.transmitters import Transmitter
from gray_kettle.spectrum.channel_power import channels_in_span, passband_hz
from gray_kettle.spectrum.quantise import dbm_of_mw

_ROWS_AT_ONCE = 512
_LONGEST_FRAME_S = 1e-3
_TRUTH_LOOKS, _LOOK_S, _FEW_LOOKS = (
    20_000,
    2e-6,
    20,
)  # moments at which the truth is sampled, and for how long


@dataclass(frozen=True)
class Instrument:
    """What sweeps. noise_figure_db: over the thermal floor. spread_s: time over which the frames of a row lie.
    hold_s: for how long a bin keeps the strongest that it meets (a peak detector), 0 for a look of one frame.
    filter_bins: how many bins the filter is wide; of more than one, bins next to one another waver together. step_s:
    what a receiver that steps from piece to piece takes for a row. faults: what it adds by itself, as power; front_end:
    the same as samples, in place of faults and filter.
    """

    span: Span
    noise_figure_db: float = 9.0
    spread_s: float = 0.0
    hold_s: float = 0.0
    filter_bins: float = 1.0
    step_s: float = 0.0
    faults: Faults | None = None
    front_end: FrontEnd | None = None

    def offsets_s(self, rows: int) -> FloatArray:
        """When each piece of a row is measured, behind its start, shape (rows, pieces)."""
        pieces = len(self.span.pieces)
        return np.tile(self.step_s * np.arange(pieces) / pieces, (rows, 1))

    @property
    def floor_mw(self) -> float:
        """Noise of one bin."""
        width_hz = self.span.rbw_hz or self.span.step_hz
        return float(10 ** ((-174 + 10 * np.log10(width_hz) + self.noise_figure_db) / 10))

    @property
    def frame_s(self) -> float:
        return 1 / self.span.step_hz


@dataclass(frozen=True)
class Truth:
    """What one transmitter really did. channels: (band, number) and the share of time that it was on them, with what
    is within 10 dB of its top.
    """

    kind: str
    name: str
    low_hz: float
    high_hz: float
    level_dbm: float
    first_s: float
    last_s: float
    duty: float
    channels: tuple[tuple[str, int, float], ...]


class Scene:
    """Transmitters, and a seed that all chance comes from."""

    def __init__(self, transmitters: tuple[Transmitter, ...], seed: int) -> None:
        self.transmitters = transmitters
        self.seed = seed

    def rows(self, instrument: Instrument, time_s: FloatArray) -> Iterator[SweepRows]:
        """Rows that begin at these times."""
        for first in range(0, len(time_s), _ROWS_AT_ONCE):
            some = time_s[first : first + _ROWS_AT_ONCE]
            rng = np.random.default_rng([self.seed, int(some[0] * 1000) & 0x7FFFFFFF])
            yield SweepRows(instrument.span, some, self._levels(instrument, some, rng))

    def _levels(self, instrument: Instrument, time_s: Floats, rng: np.random.Generator) -> "np.ndarray":
        span = instrument.span
        made = self._bursts(_seconds(time_s, span.sweep_s + instrument.step_s + instrument.spread_s))
        total = np.zeros((len(time_s), span.bins))
        highest = np.zeros_like(total)
        lowest = np.full_like(total, np.inf)
        for frame in range(span.averages):
            at = time_s + instrument.spread_s * frame / span.averages
            power = self._frame(instrument, at, made, rng)
            total += power
            np.maximum(highest, power, out=highest)
            np.minimum(lowest, power, out=lowest)
        kept = {"max": highest, "min": lowest}.get(span.detector, total / span.averages)
        return dbm_of_mw(kept)

    def _frame(
        self, instrument: Instrument, time_s: Floats, made: list[Bursts], rng: np.random.Generator
    ) -> Floats:
        """Power of one frame of each row: noise, and noise-like signals, follow an exponential law in a bin."""
        span = instrument.span
        freq_hz = np.asarray(span.start_hz + span.step_hz * np.arange(span.bins), np.float64)
        power = np.full((len(time_s), span.bins), instrument.floor_mw)
        steady = np.zeros_like(power)
        when = time_s[:, None]
        if span.sweep_s:
            when = when + span.sweep_s * np.arange(span.bins)[None, :] / span.bins
        elif instrument.step_s:
            piece = np.searchsorted(np.array(span.pieces), np.arange(span.bins), side="right") - 1
            when = when + instrument.offsets_s(1)[0][piece][None, :]
        for transmitter, its in zip(self.transmitters, made, strict=True):
            rows, mean_mw = self._met(instrument, transmitter, its, when, freq_hz)
            (steady if transmitter.is_steady else power)[rows] += mean_mw
        if instrument.front_end is not None:
            return instrument.front_end.received(span, power, steady, rng)
        met = np.asarray(power * rng.exponential(1.0, power.shape) + steady)
        if instrument.faults is not None:
            its_own = instrument.faults.added(span, instrument.floor_mw)
            met = instrument.faults.applied(span, met, time_s, its_own[None, :])
        if instrument.filter_bins <= 1:
            return met
        beside = (1 - 1 / instrument.filter_bins) / 2
        padded = np.pad(met, ((0, 0), (1, 1)), mode="edge")
        return np.asarray(beside * (padded[:, :-2] + padded[:, 2:]) + (1 - 2 * beside) * met)

    def _met(
        self, instrument: Instrument, transmitter: Transmitter, its: Bursts, when: Floats, freq_hz: Floats
    ) -> tuple[Ints, Floats]:
        """Rows in which a transmitter is observed, and its mean power in their bins."""
        step_hz = instrument.span.step_hz
        if not instrument.hold_s:
            its_frame = its.at(when, instrument.frame_s)
            rows = np.flatnonzero(its_frame[0].any(axis=1))
            filled, centre_hz, level_db = (part[rows] for part in its_frame)
            level_mw = 10 ** ((transmitter.level_dbm + level_db) / 10) * filled
            return rows, level_mw * transmitter.share_in(freq_hz[None, :] - centre_hz, step_hz)
        # A hopper may come to several places while a bin is held, and the strongest that reaches into it is kept.
        held = np.zeros((len(when), len(freq_hz)))
        for filled, centre_hz, level_db in its.each_at(when, max(instrument.frame_s, instrument.hold_s)):
            rows = np.flatnonzero(filled.any(axis=1))
            level_mw = 10 ** ((transmitter.level_dbm + level_db[rows]) / 10) * (filled[rows] > 0)
            power = level_mw * transmitter.share_in(freq_hz[None, :] - centre_hz[rows], step_hz)
            held[rows] = np.maximum(held[rows], power)
        rows = np.flatnonzero(held.any(axis=1))
        return rows, held[rows]

    def standing(self, instrument: Instrument, time_s: Floats) -> Floats:
        """Share of rows in which each transmitter is 10 dB over the floor and 3 dB over all else in most of the
        bins that it then fills, shape (transmitters,).
        """
        span = instrument.span
        freq_hz = np.asarray(span.start_hz + span.step_hz * np.arange(span.bins), np.float64)
        seen = np.zeros(len(self.transmitters))
        for first in range(0, len(time_s), _ROWS_AT_ONCE):
            some = time_s[first : first + _ROWS_AT_ONCE]
            made = self._bursts(_seconds(some, span.sweep_s + instrument.spread_s))
            when = some[:, None] + span.sweep_s * np.arange(span.bins)[None, :] / span.bins
            total = np.zeros((len(some), span.bins), np.float32)
            each = []
            for transmitter, its in zip(self.transmitters, made, strict=True):
                met = self._met(
                    instrument, transmitter, its, when if span.sweep_s else some[:, None], freq_hz
                )
                total[met[0]] += met[1]
                each.append(met)
            for k, (rows, mean_mw) in enumerate(each):
                strongest = mean_mw.max(axis=1, keepdims=True)
                core = mean_mw >= strongest / 2
                stands = (mean_mw >= 2 * (total[rows] - mean_mw)) & (mean_mw >= 10 * instrument.floor_mw)
                seen[k] += float(((core & stands).sum(axis=1) * 2 >= core.sum(axis=1)).sum())
        return seen / len(time_s)

    def _bursts(self, seconds: Ints) -> list[Bursts]:
        return [
            t.make(seconds, np.random.default_rng([self.seed, k, int(seconds[0])]))
            for k, t in enumerate(self.transmitters)
        ]

    def truth(self, span: Span, start_s: float, end_s: float) -> tuple[Truth, ...]:
        """What each transmitter did in an interval of time, by looking at it very often."""
        rng = np.random.default_rng([self.seed, 7])
        looks = np.sort(rng.uniform(start_s, end_s, _TRUTH_LOOKS))
        made = self._bursts(_seconds(looks, 0.0))
        channels = [c for c in channels_in_span(span) if c.width_mhz == 20]
        out = []
        for transmitter, its in zip(self.transmitters, made, strict=True):
            filled, centre_hz, _ = its.at(looks, _LOOK_S)
            on, weight = filled > 0.5, 1 / len(looks)
            if on.sum() < _FEW_LOOKS:  # pulses are seldom sampled by chance: each of them, then
                on = (its.start_s >= start_s) & (its.start_s < end_s)
                centre_hz = its.centre_hz
                weight = float((its.end_s - its.start_s)[on].mean()) / (end_s - start_s) if on.any() else 0.0
            if not on.any():
                continue
            when_s = looks if len(on) == len(looks) else its.start_s
            below_hz, above_hz = transmitter.reach_hz()
            low, high = centre_hz + below_hz, centre_hz + above_hz
            touched = []
            for channel in channels:
                first, last = passband_hz(channel)
                duty = float((on & (high > first) & (low < last)).sum() * weight)
                if duty:
                    touched.append((channel.band, channel.primary, round(duty, 4)))
            out.append(
                Truth(
                    transmitter.kind,
                    transmitter.name,
                    float(low[on].min()),
                    float(high[on].max()),
                    transmitter.level_dbm,
                    float(when_s[on][0]),
                    float(when_s[on][-1]),
                    round(float(on.sum() * weight), 4),
                    tuple(touched),
                )
            )
        return tuple(out)


def _seconds(time_s: Floats, length_s: float) -> Ints:
    """Every whole second that rows reach into."""
    first = np.floor(time_s).astype(np.int64)
    last = np.floor(time_s + length_s + _LONGEST_FRAME_S).astype(np.int64)
    return np.unique(np.concatenate([first + k for k in range(int((last - first).max()) + 1)]))
