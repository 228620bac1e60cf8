"""What receivers add by themselves: a spike where they are tuned to, spurs, images, gain that steps, overload.

As one finds them in software radios and in receivers that step through a band. All of it is in the power of each frame,
after the air and before the detector of a bin. A spike and a spur are a steady sine and have the shape of the window
(Hann: two bins to each side); an image is what lies mirrored at the middle of a piece, so far weaker.
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra.bursts import Floats

_HANN_DB = (0.0, -6.0, -31.0)  # power of a sine in its bin, and in those one and two beside it
_GAIN_EVERY_S = 0.5


@dataclass(frozen=True)
class Faults:
    """Each as it is drawn for a receiver.

    spike_db: over the floor of a bin, at the middle of each piece; NaN for none, spike_spread_db: from piece to piece.
    spurs: (Hz, dB over the floor). image_db: below what is mirrored; NaN for none. ripple_db: of the gain within a
    piece, from top to bottom, the same in each. gain_step_db: of the gain (and so of all that is received), now and
    then. full_scale_dbm: power of a piece from which it is overloaded.
    """

    spike_db: float = np.nan
    spike_spread_db: float = 2.0
    spurs: tuple[tuple[float, float], ...] = ()
    image_db: float = np.nan
    ripple_db: float = 0.0
    gain_step_db: float = 0.0
    full_scale_dbm: float = np.inf
    seed: int = 0

    def added(self, span: Span, floor_mw: float) -> Floats:
        """Steady power of spikes and spurs in each bin, mW, shape (bins,)."""
        out = np.zeros(span.bins)
        rng = np.random.default_rng([self.seed, 1])
        middles = _middles(span)
        if not np.isnan(self.spike_db):
            for at in middles:
                _sine(out, at, floor_mw * 10 ** ((self.spike_db + rng.normal(0, self.spike_spread_db)) / 10))
        for hz, over_db in self.spurs:
            _sine(out, (hz - span.start_hz) / span.step_hz, floor_mw * 10 ** (over_db / 10))
        return out

    def applied(self, span: Span, power: Floats, time_s: Floats, steady: Floats) -> Floats:
        """What the receiver makes of the power that reaches it. power: shape (rows, bins); steady: of added()."""
        received = power
        pieces = _pieces(span)
        if not np.isnan(self.image_db):
            received = received + 10 ** (-self.image_db / 10) * _mirrored(power, pieces)
        received = received + steady
        if np.isfinite(self.full_scale_dbm):
            most = 10 ** (self.full_scale_dbm / 10)
            for first, last in pieces:  # what does not fit is spread over the whole piece
                over = np.maximum(received[:, first:last].sum(axis=1) - most, 0.0)
                received[:, first:last] += (0.05 * over / (last - first))[:, None]
        if self.ripple_db:
            received = received * 10 ** (self._ripple(span, pieces) / 10)
        if self.gain_step_db:
            received = received * 10 ** (self._gain_db(time_s)[:, None] / 10)
        return received

    def _ripple(self, span: Span, pieces: list[tuple[int, int]]) -> Floats:
        out = np.zeros(span.bins)
        rng = np.random.default_rng([self.seed, 2])
        waves, phase = rng.uniform(0.5, 2.5), rng.uniform(0, 2 * np.pi)
        for first, last in pieces:
            x = np.linspace(0, 1, last - first)
            out[first:last] = self.ripple_db / 2 * np.sin(2 * np.pi * waves * x + phase)
        return out

    def _gain_db(self, time_s: Floats) -> Floats:
        """Steps by chance, the same at the same moment."""
        slots = np.floor(np.asarray(time_s, np.float64) / _GAIN_EVERY_S).astype(np.int64)
        known = {}
        for slot in np.unique(slots):
            rng = np.random.default_rng([self.seed, int(slot) & 0x7FFFFFFF])
            known[slot] = self.gain_step_db * rng.choice([-1.0, 0.0, 0.0, 0.0, 0.0, 1.0])
        return np.array([known[slot] for slot in slots])


def _pieces(span: Span) -> list[tuple[int, int]]:
    ends = [*span.pieces[1:], span.bins]
    return list(zip(span.pieces, ends, strict=True))


def _middles(span: Span) -> list[float]:
    """Where each piece is tuned to, in bins. A swept receiver is tuned everywhere, so it has no such place."""
    return [] if span.sweep_s else [(first + last) / 2 for first, last in _pieces(span)]


def _sine(out: Floats, at: float, power_mw: float) -> None:
    middle = round(at)
    for away, down_db in enumerate(_HANN_DB):
        for k in {middle - away, middle + away}:
            if 0 <= k < len(out):
                out[k] += power_mw * 10 ** (down_db / 10)


def _mirrored(power: Floats, pieces: list[tuple[int, int]]) -> Floats:
    out = np.empty_like(power)
    for first, last in pieces:
        out[:, first:last] = power[:, first:last][:, ::-1]
    return out
