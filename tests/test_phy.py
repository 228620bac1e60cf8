"""Facts of the air against the figures in the standards."""

import contextlib
import random
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.phy import (
    airtime,
    carrier_sense,
    channels,
    contention,
    countries,
    masks,
    modes,
    rates,
    regulatory,
)
from gray_kettle.phy.channels import Channel


@pytest.mark.parametrize(
    ("band", "number", "mhz"),
    [
        ("2.4", 1, 2412), ("2.4", 13, 2472), ("2.4", 14, 2484), ("5", 36, 5180), ("5", 144, 5720), ("5", 165, 5825),
        ("5", 177, 5885), ("6", 1, 5955), ("6", 2, 5935), ("6", 37, 6135), ("6", 233, 7115),
    ],
)  # fmt: skip
def test_a_number_and_a_frequency_say_the_same(band, number, mhz):
    assert channels.centre_hz(band, number) == mhz * 1e6
    assert channels.number_at(mhz * 1e6) == (band, number)


@pytest.mark.parametrize(
    ("band", "primary", "width", "centres"),
    [
        ("5", 36, 40, [38]), ("5", 48, 80, [42]), ("5", 149, 80, [155]), ("5", 165, 80, [171]), ("5", 128, 160, [114]),
        ("5", 165, 160, [163]), ("6", 5, 40, [3]), ("6", 37, 80, [39]), ("6", 69, 160, [79]), ("6", 1, 320, [31]),
        ("6", 33, 320, [31, 63]), ("2.4", 1, 40, [3]), ("2.4", 6, 40, [8, 4]), ("2.4", 13, 40, [11]), ("5", 37, 40, []),
    ],
)  # fmt: skip
def test_wide_channels_are_the_fixed_groups_of_the_standard(band, primary, width, centres):
    found = channels.wide(band, primary, width)
    assert [c.centre_hz for c in found] == [channels.centre_hz(band, n) for n in centres]


@pytest.mark.parametrize("band", channels.BANDS)
def test_every_channel_fills_its_width_with_parts_and_the_primary_first(band):
    for channel in channels.all_channels(band):
        assert len(channel.parts) == channel.width_mhz // 20
        assert channel.parts[0] == channel.primary
        middle = np.mean([channels.centre_hz(band, part) for part in channel.parts])
        assert middle == pytest.approx(channel.centre_hz)


def test_two_segments_of_eighty_are_listed_part_by_part():
    split = Channel("5", 44, 160, 5.21e9, 5.53e9)
    assert split.parts == (44, 36, 40, 48, 100, 104, 108, 112)
    assert split.label == "44/80+80"


@pytest.mark.parametrize("mhz", [2300, 2500, 4900, 5100, 5939, 7200])
def test_frequencies_outside_the_bands_are_refused_in_words(mhz):
    with pytest.raises(ValueError, match="outside"):
        channels.number_at(mhz * 1e6)


def test_a_number_that_does_not_exist_is_refused():
    with pytest.raises(ValueError, match="no channel 20"):
        channels.centre_hz("2.4", 20)


@pytest.mark.parametrize(
    ("kind", "width", "offset_mhz", "dbr"),
    [
        ("ofdm", 20, 9, 0), ("ofdm", 20, 10, -10), ("ofdm", 20, 11, -20), ("ofdm", 20, 20, -28), ("ofdm", 20, 25, -34),
        ("ofdm", 20, 45, -40), ("ofdm", 40, 21, -20), ("ofdm", 80, 60, -23.897), ("ofdm", 160, 240, -40),
        ("ofdm", 320, 320, -28), ("dsss", 20, 10.9, 0), ("dsss", 20, 15, -30), ("dsss", 20, 23, -50),
    ],
)  # fmt: skip
def test_masks_go_through_the_points_of_the_standard(kind, width, offset_mhz, dbr):
    assert masks.mask_db(kind, width, offset_mhz * 1e6) == pytest.approx(dbr, abs=0.01)
    assert masks.mask_db(kind, width, -offset_mhz * 1e6) == pytest.approx(dbr, abs=0.01)


TRANSMITTERS = st.sampled_from([("dsss", 20), *(("ofdm", w) for w in (20, 40, 80, 160, 320))])
VICTIMS = st.sampled_from([20, 40, 80, 160, 320])


@given(TRANSMITTERS, VICTIMS, st.floats(0, 600e6), st.floats(0, 100e6), st.sampled_from([0.0, 10.0]))
def test_coupling_is_symmetric_never_grows_with_distance_and_never_gains(
    sender, victim, offset, further, below
):
    near = masks.coupling_db(*sender, victim, offset, below)
    assert near == masks.coupling_db(*sender, victim, -offset, below)
    assert masks.coupling_db(*sender, victim, offset + further, below) <= near + 1e-9
    assert near <= 0


@pytest.mark.parametrize(
    ("width", "victim", "offset_mhz"), [(20, 20, 0), (20, 20, 15), (20, 20, 25), (80, 20, 50), (20, 80, 45)]
)
def test_coupling_is_the_integral_of_the_mask(width, victim, offset_mhz):
    """Against a sum over a fine grid, which knows nothing of closed forms."""
    grid = np.arange(-300e6, 300e6, 2e3)
    density = 10 ** (masks.mask_db("ofdm", width, grid) / 10)
    density[np.abs(grid) > 4 * {20: 30e6, 80: 120e6}[width]] = 0
    inside = np.abs(grid - offset_mhz * 1e6) <= masks.HALF_PASSBAND_MHZ[victim] * 1e6
    expected = 10 * np.log10(density[inside].sum() / density.sum())
    assert masks.coupling_db("ofdm", width, victim, offset_mhz * 1e6) == pytest.approx(expected, abs=0.02)


def test_the_noise_floor_of_twenty_megahertz_is_minus_94():
    assert carrier_sense.noise_floor_dbm(20e6) == pytest.approx(-94, abs=0.05)
    assert carrier_sense.noise_floor_dbm(80e6) - carrier_sense.noise_floor_dbm(20e6) == pytest.approx(
        6.02, abs=0.01
    )


def test_heard_is_half_at_the_threshold_and_follows_the_normal_distribution():
    shares = carrier_sense.heard_share(np.array([-82, -78, -86, -200]), -82)
    assert shares == pytest.approx([0.5, 0.8413, 0.1587, 0], abs=1e-4)


def test_powers_add_in_milliwatts():
    assert carrier_sense.sum_dbm(-60, -60) == pytest.approx(-56.99, abs=0.01)


@pytest.mark.parametrize(
    ("generation", "mcs", "width", "streams", "guard_us", "mbps"),
    [
        ("n", 7, 20, 1, 0.8, 65), ("n", 7, 40, 2, 0.4, 300), ("ac", 9, 80, 2, 0.4, 866.7), ("ac", 8, 20, 1, 0.8, 78),
        ("ax", 11, 20, 1, 0.8, 143.4), ("ax", 11, 160, 2, 0.8, 2402), ("be", 13, 320, 2, 0.8, 5764.7),
    ],
)  # fmt: skip
def test_data_rates_are_those_of_the_rate_tables(generation, mcs, width, streams, guard_us, mbps):
    assert rates.mcs_rate_mbps(generation, mcs, width, streams, guard_us) == pytest.approx(mbps, abs=0.1)


@given(
    st.sampled_from(rates.GENERATIONS),
    st.sampled_from([20, 40, 80, 160]),
    st.integers(1, 4),
    st.floats(-10, 60),
)
def test_a_better_signal_never_carries_less(generation, width, streams, snr_db):
    slow, fast = rates.rate_at_mbps(generation, width, streams, np.array([snr_db, snr_db + 1]))
    assert 0 <= slow <= fast


def test_no_rate_is_carried_by_a_signal_below_the_slowest_scheme():
    assert rates.rate_at_mbps("ax", 20, 2, 3.9) == 0
    assert rates.rate_at_mbps("ax", 20, 1, 4.0) == pytest.approx(8.6, abs=0.1)


@pytest.mark.parametrize(
    ("octets", "mbps", "low_band", "us"),
    [
        (14, 1.0, True, 304),
        (100, 11.0, True, 264.7),
        (1500, 54.0, False, 244),
        (1500, 54.0, True, 250),
        (14, 24.0, False, 28),
    ],
)
def test_the_duration_of_legacy_frames(octets, mbps, low_band, us):
    assert airtime.legacy_airtime_s(octets, mbps, low_band) == pytest.approx(us * 1e-6, abs=1e-7)


def test_a_frame_of_unknown_rate_has_no_duration():
    assert np.isnan(airtime.legacy_airtime_s(100, np.nan))
    assert np.isnan(airtime.legacy_airtime_s(100, 0.0))


def test_the_duration_of_ht_and_vht_frames():
    # 1,500 bytes, MCS 7, one stream, 20 MHz: 36 µs of preamble and 47 symbols of 4 µs.
    assert modes.airtime_s(modes.mode(modes.HT, 7, 1, 0, modes.LONG_GUARD), 1500) == pytest.approx(224e-6)
    assert modes.airtime_s(modes.mode(modes.VHT, 7, 1, 0, modes.LONG_GUARD), 1500) == pytest.approx(228e-6)


def test_beacons_at_one_megabit_take_two_per_cent():
    assert airtime.beacon_share(250, 1.0, 100, True) == pytest.approx(0.0214, abs=1e-4)
    assert airtime.beacon_share(250, 1.0, 0, True) == 0


def test_more_contenders_never_leave_more_for_payload():
    shares = contention.mac_efficiency(np.array([1, 2, 3, 5, 10, 30, 100]))
    assert np.all(np.diff(shares) < 0)
    assert np.all((shares > 0) & (shares < 1))


def test_one_station_alone_sends_once_in_a_mean_backoff():
    # Without collisions the chance is 2 / (W + 1).
    assert contention.attempt_probability(1) == pytest.approx(2 / (contention.WINDOW_MIN + 1), abs=1e-6)


def contending(bursts_us, rounds=25_000):
    """The access rules slot by slot: (share of time with payload of each station, share of attempts that collide).

    Each station counts down a number drawn from its window while the medium is idle, sends at nought, doubles the
    window after a collision (16 to 1024) and goes back to 16 after a success; what counts down is frozen meanwhile.
    """
    draw = random.Random(len(bursts_us)).randrange
    window = [16] * len(bursts_us)
    left = [draw(16) for _ in bursts_us]
    payload, tries, collided, time_us = [0.0] * len(bursts_us), 0, 0, 0.0
    for _ in range(rounds):
        idle = min(left)
        left = [n - idle for n in left]
        sends = [k for k, n in enumerate(left) if n == 0]
        # Idle slots, preamble, the burst that lasts, the wait before the next.
        time_us += idle * 9.0 + 48.0 + max(bursts_us[k] for k in sends) + 16.0 + 3 * 9.0
        tries += len(sends)
        collided += len(sends) * (len(sends) > 1)
        if len(sends) == 1:
            time_us += 16.0 + 32.0  # the receiver's turn and its acknowledgement
            payload[sends[0]] += bursts_us[sends[0]]
        for k in sends:
            window[k] = 16 if len(sends) == 1 else min(2 * window[k], 1024)
            left[k] = draw(window[k])
    return np.array(payload) / time_us, collided / tries


@pytest.mark.parametrize("n", range(1, 11))
def test_equal_contenders_share_as_the_access_rules_let_them(n):
    shares, collisions = contending([contention.BURST_US] * n)
    assert contention.mac_efficiency(n) / contention.FRAMING == pytest.approx(shares.sum(), rel=0.02)
    assert contention.payload_shares([contention.BURST_US] * n).sum() == pytest.approx(shares.sum(), rel=0.02)
    assert contention.collision_probability(n) == pytest.approx(collisions, abs=0.025)


@pytest.mark.parametrize(
    "bursts_us",
    [
        [8000.0, 1000.0],  # equal bytes, one eight times as slow: it takes nearly all of the time
        [2000.0, 2000.0],  # the same pair with equal time: each keeps its rate's worth of half of it
        [12000.0, 2000.0, 2000.0],
        [300.0, 5000.0, 2000.0, 2000.0],
    ],
)
@pytest.mark.slow
def test_a_slow_station_beside_fast_ones_takes_what_the_access_rules_give_it(bursts_us):
    shares, _ = contending(bursts_us, 150_000)
    assert contention.payload_shares(bursts_us) == pytest.approx(shares, rel=0.03)


def test_attempts_solve_both_equations_of_the_model():
    n = np.array([2.0, 5.0, 20.0])
    tau = contention.attempt_probability(n)
    p = 1 - (1 - tau) ** (n - 1)
    w, m = contention.WINDOW_MIN, contention.BACKOFF_STAGES
    expected = 2 * (1 - 2 * p) / ((1 - 2 * p) * (w + 1) + p * w * (1 - (2 * p) ** m))
    assert tau == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(
    ("country", "band", "primary", "width", "allowed", "radar"),
    [
        ("US", "2.4", 12, 20, False, False), ("GB", "2.4", 13, 20, True, False), ("GB", "2.4", 14, 20, False, False),
        ("US", "5", 165, 20, True, False), ("DE", "5", 144, 20, False, False), ("DE", "5", 132, 80, False, True),
        ("GB", "5", 144, 20, True, True), ("GB", "5", 36, 160, True, True), ("JP", "5", 149, 20, False, False),
        ("US", "6", 233, 20, True, False), ("GB", "6", 97, 20, False, False), ("ZZ", "5", 100, 20, True, True),
        ("ZZ", "5", 149, 20, False, False), ("JP", "2.4", 14, 20, False, False),
    ],
)  # fmt: skip
def test_country_rules(country, band, primary, width, allowed, radar):
    channel = channels.wide(band, primary, width)[0]
    assert countries.is_allowed(country, channel) is allowed
    assert countries.needs_radar_watch(country, channel) is radar


def regulatory_database(*countries):
    """Bytes as the kernel reads them: (code, [(flags, mBm, low, high, widest in kHz, watch in s), …])."""
    size = 8 + 4 * (len(countries) + 1)
    table, rest = b"", b""
    for code, rules in countries:
        at = size + len(rest)
        pointers = [(at + 4 + (2 * len(rules) + 3) // 4 * 4 + 20 * k) // 4 for k in range(len(rules))]
        table += struct.pack(">2sH", code, at // 4)
        rest += struct.pack(f">BBBx{len(rules)}H", 3, len(rules), 0, *pointers)
        rest += bytes(-len(rest) % 4)
        for flags, *numbers, watch_s in rules:
            rest += struct.pack(">BBHIIIHH", 20, flags, *numbers, watch_s, 0)
    return struct.pack(">II", 0x52474442, 20) + table + bytes(4) + rest


def test_the_kernels_database_counts_where_there_is_one(monkeypatch):
    """A made-up country: 1 to 9 narrow, 36 to 48 indoors up to 80 MHz, 52 to 64 with radar, 149 on to listen."""
    raw = regulatory_database(
        (
            b"QX",
            [
                (0, 2000, 2402000, 2462000, 20000, 0),
                (2, 2300, 5170000, 5250000, 80000, 0),
                (4 | 16, 2000, 5250000, 5330000, 80000, 90),
                (8, 2000, 5735000, 5835000, 80000, 0),
            ],
        ),
        (b"00", [(0, 1000, 2402000, 2472000, 40000, 0)]),
    )
    found = regulatory.parse(raw)
    assert set(found) == {"QX", "00"}
    monkeypatch.setattr(regulatory, "of_this_machine", lambda: found)
    countries.rules_by_number.cache_clear()
    assert sorted(countries.rules_by_number("qx", "2.4")) == list(range(1, 10))
    assert sorted(countries.rules_by_number("QX", "5")) == [36, 40, 44, 48, 52, 56, 60, 64]
    assert not countries.is_allowed("QX", channels.wide("2.4", 1, 40)[0])
    low, middle = channels.wide("5", 36, 80)[0], channels.wide("5", 52, 80)[0]
    assert countries.is_allowed("QX", low)
    assert countries.most_eirp_dbm("QX", low) == 23
    assert countries.is_indoor_only("QX", low)
    assert not countries.needs_radar_watch("QX", low)
    assert countries.radar_watch_s("QX", middle) == 90
    assert countries.source_of("QX") == "this machine's regulatory database"
    countries.rules_by_number.cache_clear()
    for end in range(len(raw) - 1):
        with contextlib.suppress(ValueError):
            regulatory.parse(raw[:end])
    with pytest.raises(ValueError, match="not a known regulatory database"):
        regulatory.parse(b"RGDB" + bytes(40))


def test_an_unknown_country_gets_only_what_all_known_ones_share():
    for band in channels.BANDS:
        anywhere = set(countries.rules_by_number("ZZ", band))
        for country in countries.KNOWN:
            assert anywhere <= set(countries.rules_by_number(country, band))
