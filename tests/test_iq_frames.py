"""Frames computed from samples: what a front end does to them shows in the spectrum as it must."""

import numpy as np
import pytest

from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra.iq_frames import FrontEnd

_BINS, _ROWS = 128, 400
_SPAN = Span(2.4e9, 1e6, _BINS, pieces=(0, 64))
_NOISE_MW = 1e-11  # -110 dBm a bin
_QUIET = FrontEnd(bits=16, full_scale_dbm=-25.0)


def mean_dbm(front_end, noise=None, lines=None, span=_SPAN):
    noise = np.full((_ROWS, _BINS), _NOISE_MW) if noise is None else noise
    lines = np.zeros((_ROWS, _BINS)) if lines is None else lines
    with np.errstate(divide="ignore"):
        return 10 * np.log10(front_end.received(span, noise, lines, np.random.default_rng(1)).mean(axis=0))


def line(bin_, dbm):
    lines = np.zeros((_ROWS, _BINS))
    lines[:, bin_] = 10 ** (dbm / 10)
    return lines


def test_noise_keeps_its_power_and_its_law():
    noise = np.full((_ROWS, _BINS), _NOISE_MW)
    found = _QUIET.received(_SPAN, noise, np.zeros_like(noise), np.random.default_rng(1)) / _NOISE_MW
    assert found.mean() == pytest.approx(1.0, abs=0.02)
    assert (found > 3).mean() == pytest.approx(np.exp(-3), rel=0.1)  # exponential in a bin


@pytest.mark.parametrize("at", [5, 40, 70, 121])
def test_a_sine_lies_in_its_bin_with_the_sides_of_the_window(at):
    found = mean_dbm(_QUIET, lines=line(at, -60))
    peak = 10 * np.log10(2 / 3) - 60  # a sine through a Hann window, whose noise bandwidth is 1.5 bins
    assert found[at] == pytest.approx(peak, abs=0.2)
    assert found[[at - 1, at + 1]] == pytest.approx(peak - 6, abs=0.3)
    assert found[[at - 5, at + 5]].max() < -100


def test_unequal_branches_mirror_a_piece_by_one_ratio():
    gain = 10 ** (0.5 / 20) * np.exp(1j * np.deg2rad(3))
    ratio_db = 20 * np.log10(abs(1 + gain) / abs(1 - gain))
    found = mean_dbm(
        FrontEnd(gain_error_db=0.5, phase_error_deg=3, bits=16, full_scale_dbm=-25), lines=line(20, -50)
    )
    assert found[20] - found[44] == pytest.approx(
        ratio_db, abs=0.3
    )  # mirrored at bin 32, the middle of its piece
    assert found[64:].max() < -105  # nothing in the other piece


def test_the_offset_is_in_the_middle_of_each_piece_and_spurs_stay():
    found = mean_dbm(FrontEnd(offset_dbm=-80, spurs=((2.41e9, -85.0),), bits=16, full_scale_dbm=-25))
    assert sorted(np.argsort(found)[-3:].tolist()) == [10, 32, 96]


def test_clipping_and_rounding_raise_the_floor_and_gain_saves_it():
    strong = np.full((_ROWS, _BINS), _NOISE_MW)
    strong[:, 20:28] = 10 ** (-30 / 10) / 8
    quiet = slice(50, 60)
    clipped, followed, rounded = (
        mean_dbm(FrontEnd(bits=bits, full_scale_dbm=full, follows_level=follows), noise=strong)[quiet].mean()
        for bits, full, follows in ((16, -34.0, False), (16, -34.0, True), (6, -10.0, False))
    )
    assert clipped > followed + 30
    assert rounded > -80  # 6 bits below -10 dBm
    assert mean_dbm(_QUIET)[quiet].mean() == pytest.approx(-110, abs=0.3)
