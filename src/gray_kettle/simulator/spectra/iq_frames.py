"""Frames of a receiver as complex samples: what it adds by itself comes out of its samples, as in a real one.

Each piece of a row is one block of samples: noise-like signals with the power that they have in each bin, steady ones
as sines of their own frequency. Then what receivers do to samples (an offset that wanders, spurs,
unequal branches that mirror the piece, gain that follows the level, a converter that clips and rounds), a window, and
the Fourier transform.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal.windows import hann

from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra.bursts import Floats

Complex = NDArray[np.complex128]
_GAIN_STEP_DB = 3.0
_HEADROOM_DB = 12.0  # that the gain leaves below full scale
_MOST_GAIN_STEPS = 8
_OWN_NOISE = 0.4  # of the converter, in its smallest steps


@dataclass(frozen=True)
class FrontEnd:
    """A receiver's front end. Levels in dBm are of the whole piece.

    offset_dbm: the sine at the tuned frequency, NaN for none; offset_wander: share by which it changes from block to
    block. spurs: (Hz, dBm). gain_error_db, phase_error_deg: between the branches. bits: of the converter.
    full_scale_dbm: at full gain, where it clips; follows_level: the gain steps down where more comes, and what is
    reported is set right for it up to step_error_db.
    """

    offset_dbm: float = np.nan
    offset_wander: float = 0.1
    spurs: tuple[tuple[float, float], ...] = ()
    gain_error_db: float = 0.0
    phase_error_deg: float = 0.0
    bits: int = 12
    full_scale_dbm: float = -20.0
    follows_level: bool = True
    step_error_db: float = 0.0

    def received(self, span: Span, noise_mw: Floats, lines: Floats, rng: np.random.Generator) -> Floats:
        """Power in each bin of one frame of each row. noise_mw: mean power of noise and noise-like signals; lines: of
        steady ones, both of shape (rows, bins).
        """
        out = np.empty_like(noise_mw)
        ends = [*span.pieces[1:], span.bins]
        for first, last in zip(span.pieces, ends, strict=True):
            middle_hz = span.start_hz + span.step_hz * (first + (last - first) // 2)
            part = slice(first, last)
            out[:, part] = self._piece(noise_mw[:, part], lines[:, part], span.step_hz, middle_hz, rng)
        return out

    def _piece(
        self, noise_mw: Floats, lines: Floats, step_hz: float, middle_hz: float, rng: np.random.Generator
    ) -> Floats:
        rows, bins = noise_mw.shape
        normal = rng.normal(size=(2, rows, bins)) * np.sqrt(0.5)
        spectrum = np.sqrt(noise_mw) * (normal[0] + 1j * normal[1])
        samples = np.fft.ifft(np.fft.ifftshift(spectrum, axes=1), axis=1) * bins
        samples += _sines(lines, rng)
        samples = self._branches(samples)
        at = np.arange(bins) / bins  # of the block
        if not np.isnan(self.offset_dbm):
            wander = 1 + self.offset_wander * (rng.normal(size=(rows, 1)) + 1j * rng.normal(size=(rows, 1)))
            samples += np.sqrt(10 ** (self.offset_dbm / 10)) * wander
        for hz, dbm in self.spurs:
            away = (hz - middle_hz) / step_hz
            if abs(away) < bins / 2:
                phase = rng.uniform(0, 2 * np.pi, (rows, 1))
                samples += np.sqrt(10 ** (dbm / 10)) * np.exp(1j * (2 * np.pi * away * at + phase))
        samples = self._converted(samples, rng)
        window = hann(bins, sym=False)
        found = np.fft.fftshift(np.fft.fft(samples * window, axis=1), axes=1)
        return np.asarray(np.abs(found) ** 2 / (bins * np.sum(window**2)))

    def _branches(self, samples: Complex) -> Complex:
        """Unequal branches add the mirror image: y = a x + b conj(x)."""
        gain = 10 ** (self.gain_error_db / 20) * np.exp(1j * np.deg2rad(self.phase_error_deg))
        return np.asarray((1 + gain) / 2 * samples + (1 - gain) / 2 * np.conj(samples))

    def _converted(self, samples: Complex, rng: np.random.Generator) -> Complex:
        """Gain, clipping and rounding; in the scale of before."""
        full = np.sqrt(10 ** (self.full_scale_dbm / 10))
        gain_db = np.zeros((len(samples), 1))
        if self.follows_level:
            level_db = 10 * np.log10(np.mean(np.abs(samples) ** 2, axis=1, keepdims=True))
            steps = np.ceil((level_db - (self.full_scale_dbm - _HEADROOM_DB)) / _GAIN_STEP_DB)
            gain_db = -_GAIN_STEP_DB * np.clip(steps, 0, _MOST_GAIN_STEPS)
        scale = 10 ** (gain_db / 20) / full
        levels = 2 ** (self.bits - 1)
        held = samples * scale

        def branch(values: Floats) -> Floats:
            values = values + rng.normal(0, _OWN_NOISE / levels, values.shape)
            return np.asarray(np.round(np.clip(values, -1, 1 - 1 / levels) * levels) / levels)

        wrong_db = self.step_error_db * (gain_db / _GAIN_STEP_DB % 2)
        return np.asarray((branch(held.real) + 1j * branch(held.imag)) / scale * 10 ** (wrong_db / 20))


def _sines(lines: Floats, rng: np.random.Generator) -> Complex:
    """A sine for each run of bins with steady power, at its centre of power."""
    rows, bins = lines.shape
    out = np.zeros((rows, bins), np.complex128)
    on = np.flatnonzero(lines.any(axis=0))
    at = np.arange(bins) / bins
    for run in np.split(on, np.flatnonzero(np.diff(on) > 1) + 1):
        if not len(run):
            continue
        power = lines[:, run]
        total = power.sum(axis=1, keepdims=True)
        away = (power * (run - bins // 2)).sum(axis=1, keepdims=True) / np.maximum(total, 1e-30)
        phase = rng.uniform(0, 2 * np.pi, (rows, 1))
        out += np.sqrt(total) * np.exp(1j * (2 * np.pi * away * at + phase))
    return out
