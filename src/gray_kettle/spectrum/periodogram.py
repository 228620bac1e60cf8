"""Samples to power in bins: the mean of windowed periodograms.

Source: docs/radio-model.md, "From samples to a sweep".
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray


@lru_cache(maxsize=8)
def _window(size: int) -> NDArray[np.float32]:
    """Hann: a strong neighbour leaks little into bins that are some away."""
    at = np.arange(size)
    return (0.5 - 0.5 * np.cos(2 * np.pi * (at + 0.5) / size)).astype(np.float32)


def mean_power(samples: NDArray[np.complex64], bins: int) -> NDArray[np.float64]:
    """Mean power of each bin, from the lowest frequency up, shape (bins,).

    The sum over all bins is the mean square of the samples. samples: at least so many as there are bins; what is
    left behind the last whole frame is not used.
    """
    frames = len(samples) // bins
    window = _window(bins)
    spectra = np.fft.fft(samples[: frames * bins].reshape(frames, bins) * window, axis=1)
    power = (spectra.real**2 + spectra.imag**2).mean(axis=0) / (
        bins * float((window.astype(float) ** 2).sum())
    )
    return np.fft.fftshift(power)
