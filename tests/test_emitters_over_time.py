"""Emitters over the blocks of a case: merging, corrections by hand, losses, and the stored detections."""

from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.analysis.assess import TYPICAL_CLIENT, assess
from gray_kettle.analysis.emitters.tracking import find_emitters, non_wifi_share, note_of
from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, score_channels
from gray_kettle.detection import detect_pending
from gray_kettle.model.records import Detection, DetectionBlock, Observations, Piece, SweepRows
from gray_kettle.model.setup import EmitterNote, Setup
from gray_kettle.phy.channels import narrow
from gray_kettle.session import load_session_detected
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.store import Case
from tests.sweeps import START_S, WIFI, span_at


def sighting(kind="microwave-oven", low=2450e6, high=2480e6, **facts):
    known = {
        "likely": ((kind, 0.8), ("unknown", 0.2)), "low_hz": low, "high_hz": high, "burst_hz": high - low,
        "level_dbm": -55.0, "duty": 0.4, "first_s": START_S, "last_s": START_S + 60, "rows": 200,
        "channels": (("2.4", 11, 0.4),), "evidence": ("one", "two"),
    }  # fmt: skip
    return Detection(**{**known, **facts})


def observed(*looks, end_s=START_S + 4000):
    empty = Observations(START_S, end_s, (), *_nothing(), ("",), ())
    return replace(empty, detection_blocks=tuple(looks))


def _nothing():
    from gray_kettle.model.records import Listening, Sightings, Traffic

    return Sightings.empty(), Traffic.empty(), Listening.empty()


def detection_blocks(start_s, *sightings, spot="hall"):
    moved = [replace(s, first_s=start_s, last_s=start_s + 100) for s in sightings]
    return DetectionBlock(start_s, start_s + 100, 500, 2400e6, 2484e6, spot, tuple(moved))


def test_the_same_emitter_seen_again_is_one_entry_with_its_hours_and_its_end():
    carrier = sighting("continuous-carrier", 2430e6, 2430.1e6, level_dbm=-70.0, duty=1.0, channels=())
    noon = START_S - START_S % 86400 + 36 * 3600
    times = [noon + k * 3600 for k in range(6)]
    looks = [
        detection_blocks(t, carrier, *([sighting()] if k in (0, 1) else [])) for k, t in enumerate(times)
    ]
    oven, line = sorted(
        find_emitters(observed(*looks, end_s=noon + 7 * 3600), Setup(), ()),
        key=lambda e: e.kind,
        reverse=True,
    )
    assert (oven.kind, oven.blocks, oven.gone_since_s) == ("microwave-oven", (2, 6), times[1] + 100)
    assert dict(oven.hours) == {12: 1.0, 13: 1.0, 14: 0.0, 15: 0.0, 16: 0.0, 17: 0.0}
    assert oven.duty == pytest.approx(0.4 / 3, abs=0.01)
    assert oven.duty_while_on == pytest.approx(0.4, abs=0.01)
    assert (line.blocks, line.gone_since_s, line.duty) == ((6, 6), None, 1.0)


@pytest.mark.parametrize(
    ("seen", "pause_s", "looks", "duty"),
    [
        ((None, (0, 100), None), 0.2, None, None),  # from one of our ends to the other, and nowhere else
        (((0, 100), None, None), 0.2, None, None),
        ((None, (30, 80), None), 0.2, (1, 3), 0.4 / 3),  # it began and ended by itself
        ((None, (0, 100)), 0.2, (1, 2), 0.4 / 2),
        ((None, (0, 100), None), 50.0, (1, 3), 0.4 / 3),  # what was between nobody saw
        (((0, 100), (0, 100), None, (0, 100)), 0.2, (3, 4), 0.4),  # a look that was blind to it
        (((0, 100), (0, 60), None, (0, 100)), 0.2, (3, 4), 0.4 * 3 / 4),
        (((0, 100), None, None, None, (0, 100)), 0.2, (2, 5), 0.4 * 2 / 5),
        ((None, (0, 100), *[None] * 3, (0, 100), *[None] * 2), 0.2, None, None),
        ((None, (0, 100), *[None] * 3, (9, 50), *[None] * 2), 0.2, (2, 8), 0.4 * 2 / 8),
    ],
)
def test_where_our_blocks_end_shows_nothing_of_an_emitter(seen, pause_s, looks, duty):
    chain = []
    for number, its in enumerate(seen):
        at_s = START_S + number * (100 + pause_s)
        its_own = (sighting(first_s=at_s + its[0], last_s=at_s + its[1]),) if its else ()
        chain.append(DetectionBlock(at_s, at_s + 100, 500, 2400e6, 2484e6, "hall", its_own))
    found = find_emitters(observed(*chain), Setup(), ())
    assert [e.blocks for e in found] == ([looks] if looks else [])
    assert [e.duty for e in found] == pytest.approx([duty] if looks else [], abs=0.01)
    named = Setup(emitters=(EmitterNote("microwave-oven", 2465e6, 30e6, name="tea bar"),))
    assert [e.name for e in find_emitters(observed(*chain), named, ())] == ["tea bar"]


def test_hours_in_rows_too_far_apart_for_the_mains_do_not_count_as_time_of_an_oven():
    """Sparse blocks between two dense ones cannot show it: they are neither time swept nor time that it was on."""
    dense = [(0.0, 180.0), (5281.2, 180.0)]
    chain = []
    for at_s, length_s in sorted([*dense, (181.0, 5100.0)]):
        start_s, is_dense = START_S + at_s, (at_s, length_s) in dense
        own = (sighting(first_s=start_s, last_s=start_s + length_s, duty=0.2),) if is_dense else ()
        rows = 900 if is_dense else 256
        chain.append(DetectionBlock(start_s, start_s + length_s, rows, 2400e6, 2484e6, "hall", own))
    (oven,) = find_emitters(observed(*chain, end_s=START_S + 6000), Setup(), ())
    assert (oven.blocks, oven.duty) == ((2, 2), pytest.approx(0.2, abs=0.01))


def test_two_emitters_of_one_block_are_never_one_and_a_known_radio_is_none():
    near = detection_blocks(
        START_S, sighting("bluetooth", 2402e6, 2480e6), sighting("bluetooth", 2402e6, 2480e6, level_dbm=-80.0)
    )
    assert [e.id for e in find_emitters(observed(near), Setup(), ())] == [
        "bluetooth@2441",
        "bluetooth@2441-2",
    ]


def test_what_is_reported_of_an_emitter_lasts_and_dismissed_ones_cost_nobody():
    looks = observed(detection_blocks(START_S, sighting()))
    (oven,) = find_emitters(looks, Setup(), ())
    notes = (replace(note_of(oven), name="tea bar oven", kind="frequency-hopper"),)
    (named,) = find_emitters(looks, Setup(emitters=notes), ())
    assert (named.name, named.kind, named.was_found_as, named.id) == (
        "tea bar oven", "frequency-hopper", "microwave-oven", oven.id,
    )  # fmt: skip
    far = (EmitterNote("microwave-oven", 2410e6, 1e6, is_dismissed=True),)
    assert not find_emitters(looks, Setup(emitters=far), ())[0].is_dismissed
    gone = (EmitterNote("microwave-oven", 2466e6, 30e6, is_dismissed=True),)
    assert assess(looks, Setup(emitters=gone)).findings == ()
    assert assess(looks, Setup()).findings[0].kind == "emitter"
    assert non_wifi_share(assess(looks, Setup()), narrow("2.4", 11)) == pytest.approx(0.4, abs=0.01)


def test_emitters_take_clear_air_and_more_of_them_or_louder_ones_never_give_it_back():
    """Over −62 dBm the oven silences us for its duty; 13 loses it all, 1 nothing. Below the noise it costs nothing."""
    channels = tuple(narrow("2.4", n) for n in (1, 6, 11))
    none = Interferers((), *[np.zeros(0)] * 4, np.zeros(0, bool))
    before = None
    for level in (-110.0, -90.0, -75.0, -60.0, -45.0):
        (oven,) = find_emitters(observed(detection_blocks(START_S, sighting(level_dbm=level))), Setup(), ())
        from gray_kettle.analysis.loss.emitter_loss import emissions_of

        one = replace(none, emissions=emissions_of((oven,), "2.4"))
        clear = score_channels(TYPICAL_CLIENT, Candidates(channels), one).clear_air
        twice = score_channels(
            TYPICAL_CLIENT, Candidates(channels), replace(one, emissions=one.emissions * 2)
        ).clear_air
        assert (twice <= clear + 1e-12).all()
        # From −62 dBm on it is waited for, which costs less than what it spoils just below.
        assert before is None or level > -75 or (clear <= before + 1e-9).all()
        before = clear
    assert before == pytest.approx([1.0, 1.0, 0.58], abs=0.04)


def test_blocks_are_kept_with_the_case_and_only_what_is_new_is_examined(tmp_path):
    span = span_at()
    scene = Scene((*WIFI, tx.carrier("", -60, 2.4447e9)), 1)
    with Case.create(tmp_path / "a.kettle", Setup(country="GB")) as case:
        take = case.begin_take("made", "sweep table", "hall")
        told = []
        for first in (0, 400, 500, 2600):
            times = START_S + 0.1 * np.arange(first, {0: 400, 400: 500, 500: 2600, 2600: 2700}[first])
            for rows in scene.rows(Instrument(span), times):
                case.append(take, Piece(sweeps=(SweepRows(span, rows.time_s, rows.levels_dbm),)))
            if first == 2600:
                case.finish_take(take, complete=True)
            detect_pending(case, lambda done, total: told.append((done, total)))
        rows = [(k.rows, [s.kind for s in k.detections]) for k in case.detections.window(-np.inf, np.inf)]
        # A hundred rows more do not pay; when 1.5 times as many are there, or the end, they are looked at.
        assert rows == [(2048, ["continuous-carrier"]), (512, ["continuous-carrier"])]
        assert all(done <= total for done, total in told)
        assert case.detections.pending_rows() == 0
        (line,) = load_session_detected(case).assessment.emitters
        assert line.centre_hz == pytest.approx(2.4447e9, abs=span.step_hz)
        assert load_session_detected(case).assessment.emitters == (line,)
        case.forget_take(take)
        assert case.detections.window(-np.inf, np.inf) == ()
