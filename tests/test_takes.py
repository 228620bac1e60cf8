"""Takes: none is deleted from the answers but by a longer one that is proven to hold it, and both ways are open."""

import os
import threading
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.model.enums import TakeState
from gray_kettle.model.plan_preferences import CompletedStep, PlanPreferences
from gray_kettle.model.setup import Setup
from gray_kettle.model.setup_merge import merged
from gray_kettle.store import Case
from gray_kettle.store.takes import checkpoint_after
from tests.frames import busy_harbour, pcap_bytes

PACKETS = busy_harbour(1.0)


def long(times, packets=PACKETS):
    return [(time_s + 2 * k, raw) for k in range(times) for time_s, raw in packets]


WHOLE = pcap_bytes(long(40))
OTHER = pcap_bytes(
    [(t, raw) for t, raw in long(20) if b"boat" not in raw]
)  # another capture, the same file header


@pytest.fixture
def case(tmp_path):
    with Case.create(tmp_path / "a.kettle", Setup()) as opened:
        yield opened


def take(case, tmp_path, raw, pipe=False, stop_after=None):
    path = tmp_path / f"{len(case.take_list.all())}-{'pipe' if pipe else 'file'}"
    if pipe:
        os.mkfifo(path)
        writer = threading.Thread(target=lambda: path.write_bytes(raw))
        writer.start()
    else:
        path.write_bytes(raw)
    count = [0]

    def is_over():
        count[0] += 1
        return stop_after is not None and count[0] > stop_after

    result = ingest(case, open_file(path), is_cancelled=is_over)
    if pipe:
        writer.join()
    return result


def states(case):
    return [take.state for take in case.take_list.all()]


@pytest.mark.parametrize("pipe", [False, True])
@pytest.mark.parametrize(
    ("first", "second", "expected"),
    [
        (WHOLE[: len(WHOLE) // 2], WHOLE, [TakeState.SUPERSEDED, TakeState.COMPLETE]),
        (WHOLE, OTHER, [TakeState.COMPLETE, TakeState.COMPLETE]),
        (WHOLE, WHOLE[: len(WHOLE) // 2], [TakeState.COMPLETE, TakeState.COMPLETE]),
        (WHOLE, WHOLE, [TakeState.COMPLETE]),
    ],
    ids=["grew", "another capture", "a shorter copy", "the same"],
)
def test_only_a_proven_prefix_is_superseded(case, tmp_path, pipe, first, second, expected):
    """Two captures through one pipe share the 24 bytes of their header, and no more."""
    take(case, tmp_path, first, pipe)
    before = {a.bssid for a in case.window().announcements}
    take(case, tmp_path, second, pipe)
    assert states(case) == expected
    assert {a.bssid for a in case.window().announcements} >= before


def test_a_shorter_copy_of_a_longer_one_is_named(case, tmp_path):
    take(case, tmp_path, pcap_bytes(long(400)))
    result = take(case, tmp_path, pcap_bytes(long(300)))
    assert "begins with the same bytes and is longer" in " ".join(result.notes)
    assert "takes CASE --set-aside 2" in " ".join(result.notes)


def test_a_stopped_take_is_superseded_by_the_whole_and_can_be_brought_back(case, tmp_path):
    stopped = take(case, tmp_path, pcap_bytes(long(2000)), pipe=True, stop_after=0)
    assert states(case) == [TakeState.STOPPED]
    assert "Cancelled" in " ".join(stopped.notes)
    take(case, tmp_path, pcap_bytes(long(2000)))
    assert states(case) == [TakeState.SUPERSEDED, TakeState.COMPLETE]
    case.take_list.set_aside(2)
    assert states(case) == [TakeState.STOPPED, TakeState.SET_ASIDE]  # what it superseded counts again
    case.take_list.bring_back(2)
    assert states(case) == [TakeState.SUPERSEDED, TakeState.COMPLETE]
    case.take_list.bring_back(1)
    assert states(case) == [TakeState.STOPPED, TakeState.COMPLETE]


def test_takes_are_listed_set_aside_and_brought_back_by_command(case, tmp_path, capsys):
    take(case, tmp_path, WHOLE)
    path = str(case.path)
    assert main(["takes", path, "--set-aside", "1"]) == 0
    assert "set aside" in capsys.readouterr().out
    assert len(case.window().sightings) == 0
    assert main(["takes", path, "--bring-back", "1", "--json"]) == 0
    assert '"state": "complete"' in capsys.readouterr().out
    assert main(["takes", path, "--set-aside", "9"]) == 2


def test_an_interrupted_take_is_said_in_the_answers(case, tmp_path, capsys, monkeypatch):
    take(case, tmp_path, WHOLE)
    case.begin_take("pipe", "pcap", "")
    assert states(case)[-1] is TakeState.IN_PROGRESS
    monkeypatch.setattr("gray_kettle.store.takes._is_alive", lambda writer: False)  # its process is gone
    assert states(case)[-1] is TakeState.INTERRUPTED
    assert main(["brief", str(case.path)]) == 0
    assert "pipe: It was interrupted" in capsys.readouterr().out


@given(st.integers(0, 40 << 20))
def test_checkpoints_follow_each_other(octets):
    after = checkpoint_after(octets)
    assert octets < after <= octets + (1 << 20)
    assert after % (64 << 10) == 0


# Two people's edits of one setup

BASE = Setup("ferry", "GB", own=("a", "b"), names=(("02:00:00:00:00:01", "hall"),))


@pytest.mark.parametrize(
    ("mine", "theirs", "both"),
    [
        ({"site": "quay"}, {"country": "FR"}, {"site": "quay", "country": "FR"}),
        ({"own": ("a", "b", "c")}, {"own": ("b", "d")}, {"own": ("b", "d", "c")}),
        ({"site": "x"}, {"site": "y"}, {"site": "x"}),
        (
            {"preferences": PlanPreferences(radar="avoid")},
            {"preferences": PlanPreferences(design_load=0.3)},
            {"preferences": PlanPreferences(radar="avoid", design_load=0.3)},
        ),
        (
            {"names": (("02:00:00:00:00:01", "tea bar"),)},
            {"done": (CompletedStep(1.0, "r", "t"),)},
            {"names": (("02:00:00:00:00:01", "tea bar"),), "done": (CompletedStep(1.0, "r", "t"),)},
        ),
        ({"reference": (1.0, 2.0)}, {"reference": (3.0, 4.0)}, {"reference": (1.0, 2.0)}),
    ],
)
def test_two_edits_of_one_setup_both_stay(case, mine, theirs, both):
    assert merged(BASE, replace(BASE, **mine), replace(BASE, **theirs)) == replace(BASE, **both)
    case.save_setup(BASE)
    with Case.open(case.path) as other:
        other.save_setup(replace(BASE, **theirs), BASE)
    assert case.save_setup(replace(BASE, **mine), BASE) == case.setup() == replace(BASE, **both)


def test_answers_beside_a_take_read_one_state(tmp_path):
    """The rows of a take that came while a window is read are either all in it or none."""
    path = tmp_path / "a.kettle"
    Case.create(path, Setup()).close()
    (tmp_path / "a.pcap").write_bytes(pcap_bytes(long(300)))
    ended = threading.Event()

    def write():
        with Case.open(path) as case:
            for k in range(6):
                (tmp_path / f"{k}.pcap").write_bytes(pcap_bytes(long(30 + k)))
                ingest(case, open_file(tmp_path / f"{k}.pcap"))
        ended.set()

    thread = threading.Thread(target=write)
    thread.start()
    reads = 0
    with Case.open(path) as case:
        while not ended.is_set():
            seen = case.window()
            assert not seen.damage
            assert np.all(seen.sightings.announcement < len(seen.announcements))
            reads += 1
    thread.join()
    assert reads > 3
