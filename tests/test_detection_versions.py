"""Detections kept with a case: their detector version, older formats, and what an edit computes again."""

import sqlite3
from contextlib import closing
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle import detection
from gray_kettle.detection import detect_pending
from gray_kettle.interference import DETECTOR_VERSION
from gray_kettle.model.enums import FindingKind
from gray_kettle.model.plan_preferences import PlanPreferences
from gray_kettle.model.records import Piece, SweepRows
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session, load_session_detected
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.store import Case
from gray_kettle.store.header import VERSION as FORMAT
from gray_kettle.tui.theme import wrap
from tests.sweeps import START_S, WIFI, span_at


@pytest.fixture
def swept(tmp_path):
    """A case with forty seconds of sweeps in which a carrier is present, examined once."""
    path = tmp_path / "swept.kettle"
    scene = Scene((*WIFI, tx.carrier("", -60, 2.4447e9)), 1)
    with Case.create(path, Setup(country="GB")) as case:
        take = case.begin_take("made", "sweep table", "hall")
        for rows in scene.rows(Instrument(span_at()), START_S + 0.1 * np.arange(400)):
            case.append(take, Piece(sweeps=(SweepRows(span_at(), rows.time_s, rows.levels_dbm),)))
        case.finish_take(take, complete=True)
        detect_pending(case)
    return path


def kinds(path):
    with Case.open(path) as case:
        return [s.kind for b in case.detections.window(-np.inf, np.inf) for s in b.detections]


def test_detections_of_another_detector_version_are_made_again(swept, monkeypatch):
    assert kinds(swept) == ["continuous-carrier"]
    with Case.open(swept) as case:
        assert not case.detections.needs_detection(DETECTOR_VERSION)
        assert case.detections.needs_detection(DETECTOR_VERSION + 1)
    monkeypatch.setattr(detection, "DETECTOR_VERSION", DETECTOR_VERSION + 1)
    monkeypatch.setattr("gray_kettle.interference.DETECTOR_VERSION", DETECTOR_VERSION + 1)
    monkeypatch.setattr(detection, "detect", lambda *block: ())
    with Case.open(swept) as case:
        load_session_detected(case)
    assert kinds(swept) == []  # the new detector found nothing, and nothing of the old one is left
    with Case.open(swept) as case:
        assert not case.detections.needs_detection(DETECTOR_VERSION + 1)


def test_a_case_of_the_format_before_opens_and_is_examined_again(swept):
    with closing(sqlite3.connect(swept)) as db, db:
        db.execute("ALTER TABLE looks DROP COLUMN detector")
        db.execute(f"PRAGMA user_version = {FORMAT - 1}")
    with Case.open(swept) as case:
        assert case.detections.needs_detection(DETECTOR_VERSION)
        assert load_session_detected(case).assessment.emitters[0].kind == "continuous-carrier"
    with closing(sqlite3.connect(swept)) as db, db:
        assert db.execute("SELECT DISTINCT detector FROM looks").fetchall() == [(DETECTOR_VERSION,)]
        assert db.execute("PRAGMA user_version").fetchone() == (FORMAT,)


def test_the_store_runs_no_detector(swept, monkeypatch):
    """Opening and reading a window never detect: that is for the caller."""

    def fail(*block):
        raise AssertionError("detection was called from the store")

    monkeypatch.setattr("gray_kettle.interference.detect.detect", fail)
    monkeypatch.setattr(detection, "detect", fail)
    with Case.open(swept) as case:
        case.detections.discard_older(DETECTOR_VERSION + 1)
        assert load_session(case).observations.rows_pending == 400
        with pytest.raises(AssertionError):
            detect_pending(case)


@pytest.mark.slow
def test_a_changed_preference_plans_again_and_assesses_nothing(demo_case):
    with Case.open(demo_case) as case:
        session = load_session(case)
    before = session.proposal
    locked = before.moves[0].radio.id
    setup = replace(session.setup, preferences=PlanPreferences(locked=(locked,)))
    changed = session.with_setup(setup)
    assert changed.assessment is session.assessment
    assert changed.inventory is session.inventory
    assert changed.proposal.move_of(locked).stays
    assert not before.move_of(locked).stays
    renamed = session.with_setup(replace(session.setup, own=()))
    assert "assessment" not in renamed.__dict__
    assert renamed.assessment.own == ()


def test_every_finding_kind_has_a_headline_of_the_trade():
    headlines = [kind.headline for kind in FindingKind]
    assert len(set(headlines)) == len(headlines)
    for headline in headlines:
        assert headline[0].isupper() or headline[0].isdigit()
        assert not headline.endswith(".")
        assert len(headline) <= 40


@given(st.text(max_size=200), st.integers(3, 60))
def test_wrapped_text_loses_no_word_and_keeps_numbers_with_their_units(text, width):
    lines = wrap(text, width)
    assert " ".join(" ".join(lines).split()) == " ".join(text.split())
    assert not any(
        line.startswith(("% ", "dBm ", "Mb/s ")) for line in wrap("at 5 % and −60 dBm, 7 Mb/s now", width)
    )
