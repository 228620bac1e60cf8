"""Where Wi-Fi channels, 802.15.4 channels, Bluetooth LE advertising and radar lie, and how far something is from them.

Sources: IEEE Std 802.11-2020 clause 15 to 27 (channels), IEEE Std 802.15.4-2020 clause 10.1.3.3 (2405 MHz and every
5 MHz), Bluetooth Core 5.4 vol 6 part B 1.4.1 (advertising channels), ITU-R M.1652 (radar bands).
"""

import numpy as np

from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.phy.channels import BANDS, all_channels

RADAR_HZ = (5.25e9, 5.73e9)
# Magnetrons of ovens are made for 2450 MHz, and drift upwards when they warm.
OVEN_HZ, OVEN_SPREAD_HZ = 2.456e9, 9e6
_FIRST_154_HZ, _STEP_154_HZ = 2.405e9, 5e6
_NOISE_WIDTH_MHZ = 20

_places = sorted({(c.centre_hz, c.width_mhz) for band in BANDS for c in all_channels(band)})
_CENTRE_HZ = np.array([hz for hz, _ in _places])
_WIDTH_HZ = np.array([width * 1e6 for _, width in _places])
# Half of what is filled, from the oldest modulation to the newest: 8.2 to 9.5 MHz of 20, 19 to 19.5 of 40.
_LEAST_HALF = np.where(_WIDTH_HZ == _NOISE_WIDTH_MHZ * 1e6, 0.40, 0.44) * _WIDTH_HZ
_MOST_HALF = np.where(_WIDTH_HZ == _NOISE_WIDTH_MHZ * 1e6, 0.485, 0.492) * _WIDTH_HZ
_IS_WIFI = _WIDTH_HZ >= _NOISE_WIDTH_MHZ * 1e6
_LOW_EDGE, _HIGH_EDGE = _CENTRE_HZ - 0.47 * _WIDTH_HZ, _CENTRE_HZ + 0.47 * _WIDTH_HZ


def off_wifi_hz(low_hz: float, high_hz: float) -> float:
    """How far an interval is from filling a Wi-Fi channel: the larger of the errors of centre and half width."""
    half = (high_hz - low_hz) / 2
    off = np.maximum(np.maximum(_LEAST_HALF - half, half - _MOST_HALF), 0.0)
    return float(np.maximum(np.abs(_CENTRE_HZ - (low_hz + high_hz) / 2), off)[_IS_WIFI].min())


def part_within_wifi(low_hz: float, high_hz: float) -> float:
    """Largest part of an interval that one Wi-Fi channel covers."""
    common = np.minimum(high_hz, _HIGH_EDGE) - np.maximum(low_hz, _LOW_EDGE)
    return max(0.0, float(common.max()) / (high_hz - low_hz))


def to_wifi_edge_hz(freq_hz: float) -> float:
    """Distance to the nearest edge of a Wi-Fi channel."""
    return float(min(np.abs(_LOW_EDGE - freq_hz).min(), np.abs(_HIGH_EDGE - freq_hz).min()))


def to_wifi_centre_hz(freq_hz: float) -> float:
    """Distance to the nearest centre of a 20 MHz channel."""
    return float(np.abs(_CENTRE_HZ[_WIDTH_HZ == _NOISE_WIDTH_MHZ * 1e6] - freq_hz).min())


def to_154_hz(freq_hz: float) -> float:
    """Distance to the nearest 802.15.4 channel of 2.4 GHz, or its raster beyond them."""
    return abs((freq_hz - _FIRST_154_HZ + _STEP_154_HZ / 2) % _STEP_154_HZ - _STEP_154_HZ / 2)


def to_advertising_hz(freq_hz: float) -> float:
    """Distance to the nearest Bluetooth LE advertising channel."""
    return min(abs(freq_hz - hz) for hz in ADVERTISING_HZ)


def near_oven(freq_hz: float) -> float:
    """1 where ovens transmit, falling to 0 beside it."""
    return float(np.exp(-(((freq_hz - OVEN_HZ) / OVEN_SPREAD_HZ) ** 2)))
