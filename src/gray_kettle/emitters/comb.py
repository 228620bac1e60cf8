"""How many of the bursts that a tuned sweep meets cannot be parts of Wi-Fi: they lie evenly, whatever channels there are.

Source: docs/radio-model.md, "Places and hops".
"""

import numpy as np

from gray_kettle.records import FloatArray

_LOW_HZ, _HIGH_HZ, _PART_HZ = 2.4005e9, 2.4805e9, 2e6
_ROUNDS = 300


def _boxes() -> FloatArray:
    """Parts of the band that each Wi-Fi channel fills, shape (parts, channels); the last column is all of it."""
    parts = np.arange(_LOW_HZ + _PART_HZ / 2, _HIGH_HZ, _PART_HZ)
    columns = []
    for number in range(1, 14):
        centre_hz = 2.407e9 + 5e6 * number
        for half_hz in (9e6, 19e6):
            inside = np.clip((half_hz + _PART_HZ / 2 - np.abs(parts - centre_hz)) / _PART_HZ, 0, 1)
            columns.append(inside)
    columns.append(np.ones(len(parts)))
    return np.stack(columns, axis=1)


def plateau_share(freq_hz: FloatArray) -> tuple[float, float]:
    """(share of the bursts that lie evenly over the band, how much better that explains them than channels alone).

    A mixture of boxes, one for each channel, with and without an even one, fitted by expectation and maximisation;
    the second figure is the gain in log likelihood.
    """
    counts = np.histogram(freq_hz, np.arange(_LOW_HZ, _HIGH_HZ + 1, _PART_HZ))[0].astype(float)
    number = counts.sum()
    if number < 10:
        return 0.0, 0.0
    boxes = _boxes()
    boxes = boxes / boxes.sum(axis=0)
    with_even, share = _fitted(counts, boxes)
    without, _ = _fitted(counts, boxes[:, :-1])
    return float(share[-1]), float(with_even - without)


def _fitted(counts: FloatArray, shapes: FloatArray) -> tuple[float, FloatArray]:
    share = np.full(shapes.shape[1], 1 / shapes.shape[1])
    for _ in range(_ROUNDS):
        mixed = shapes @ share + 1e-9
        share = share * (shapes.T @ (counts / mixed)) / counts.sum()
    return float((counts * np.log(shapes @ share + 1e-9)).sum()), share
