"""What receivers add by themselves is no emitter: spikes, spurs, images, steps of gain; and real lines stay."""

import json

import numpy as np
import pytest

from gray_kettle.cli.main import main
from gray_kettle.interference.detect import detect
from gray_kettle.interference.receiver import without_own
from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra import transmitters as tx
from gray_kettle.simulator.spectra.receiver_faults import Faults
from gray_kettle.simulator.spectra.scene import Instrument, Scene
from gray_kettle.spectrum.quantise import MISSING, to_codes

START_HZ, STEP_HZ, BINS = 2.4001e9, 200e3, 400  # 80 MHz
STEPPED = Span(START_HZ, STEP_HZ, BINS, pieces=(0, 100, 200, 300))
WHOLE = Span(START_HZ, STEP_HZ, BINS)
TIME_S = 1.763e9 + np.arange(400) / 12.0
WIFI = tx.wifi("ap", 2.437e9, 20, -45.0, 0.3)
SPIKES = Faults(spike_db=20.0)
SPURS = Faults(spurs=((2.4113e9, 18.0), (2.4567e9, 12.0)))


def rows(span, faults, *transmitters, seed=1):
    instrument = Instrument(span, step_s=0.06 if len(span.pieces) > 1 else 0.0, faults=faults)
    scene = Scene(tuple(transmitters), seed)
    codes = np.concatenate([to_codes(r.levels_dbm) for r in scene.rows(instrument, TIME_S)])
    return codes, instrument.offsets_s(len(TIME_S)) if len(span.pieces) > 1 else None


def found(span, faults, *transmitters, seed=1):
    codes, offsets = rows(span, faults, *transmitters, seed=seed)
    return detect(span, TIME_S, codes, offsets)


@pytest.mark.parametrize("span", [STEPPED, WHOLE], ids=["stepped", "whole"])
@pytest.mark.parametrize(
    "faults",
    [
        SPIKES,
        SPURS,
        Faults(spike_db=12.0, spurs=SPURS.spurs, image_db=35.0, ripple_db=2.0, gain_step_db=4.0),
    ],
    ids=["spikes", "spurs", "all"],
)
@pytest.mark.parametrize("before", [(), (WIFI,)], ids=["nothing", "wifi"])
def test_a_receiver_s_own_is_marked_or_gone_and_charges_no_channel(span, faults, before):
    for claim in found(span, faults, *before):
        assert claim.may_be_receiver
        assert not claim.channels
        assert "antenna off" in claim.evidence[-1]


def test_spikes_at_each_tuning_are_found_whether_or_not_the_pieces_are_known():
    codes, _ = rows(STEPPED, SPIKES)
    for span in (STEPPED, WHOLE):
        clean, own = without_own(span, codes)
        assert len(own.lines) == 4
        typical = np.median(clean / 2.0, axis=0)
        assert np.abs(typical[[50, 150, 250, 350]] - np.median(typical)).max() < 2.0


def test_a_strong_carrier_and_a_video_are_still_claimed():
    carrier, video = (
        tx.carrier("c", -55.0, 2.4213e9),
        tx.camera("v", -60.0, 2.4655e9, lambda t: np.ones(np.shape(t))),
    )
    claims = found(STEPPED, SPIKES, carrier, video)
    kinds = {claim.kind: claim for claim in claims if not claim.may_be_receiver}
    assert {"continuous-carrier", "analogue-video"} <= set(kinds)
    assert kinds["continuous-carrier"].channels
    assert (
        abs(kinds["continuous-carrier"].low_hz / 2 + kinds["continuous-carrier"].high_hz / 2 - 2.4213e9) < 3e5
    )


def test_an_image_is_measured_and_taken_away():
    codes, _ = rows(WHOLE, Faults(image_db=28.0), WIFI)
    clean, own = without_own(WHOLE, codes)
    assert own.image_db == pytest.approx(28.0, abs=1.5)
    mirror = slice(160, 240)  # of 2427 to 2447 MHz at 2440
    assert (clean[:, 165:235] > 0).all()
    assert (clean[:, mirror] != codes[:, mirror]).any()
    nothing = without_own(WHOLE, rows(WHOLE, None, WIFI)[0])[1]
    assert np.isnan(nothing.image_db)


def test_rows_without_faults_stay_as_they_are():
    codes, _ = rows(WHOLE, None, WIFI, tx.camera("v", -60.0, 2.4655e9, lambda t: np.ones(np.shape(t))))
    clean, own = without_own(WHOLE, codes)
    assert not own.lines
    assert own.gain_rows <= 0.02 * len(codes)
    assert (clean == codes).mean() > 0.98


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("gone", [(0, 40), (180, 260), (0, 380)])
def test_what_was_never_measured_stays_so(gone):
    codes, offsets = rows(STEPPED, Faults(spike_db=20.0, image_db=28.0, gain_step_db=5.0), WIFI)
    codes[:, slice(*gone)] = MISSING
    codes[::7, 300:] = MISSING
    clean, _ = without_own(STEPPED, codes)
    assert ((clean == MISSING) == (codes == MISSING)).all()
    detect(STEPPED, TIME_S, codes, offsets)


def test_a_cheap_receiver_s_lines_are_listed_as_maybe_its_own_and_are_nothing_to_act_on(tmp_path, capsys):
    table, case = tmp_path / "cheap.csv", tmp_path / "a.kettle"
    assert main(["stand-in", "sweeps", str(table), "--hour", "3.2", "--cheap"]) == 0
    assert main(["new", str(case), "--country", "GB", "--own", "tern-crew"]) == 0
    assert main(["take", str(case), str(table)]) == 0
    capsys.readouterr()
    assert main(["emitters", str(case), "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)["emitters"]
    marked = [e for e in listed if e["may_be_receiver"]]
    assert marked
    assert all(not e["channels"] for e in marked)
    assert not [e for e in listed if e["kind"] == "continuous-carrier" and not e["may_be_receiver"]]
    assert main(["brief", str(case), "--json"]) == 0
    findings = [
        f for f in json.loads(capsys.readouterr().out)["findings"] if "receiver's own" in f["subject"]
    ]
    assert findings
    assert {f["severity"] for f in findings} == {"note"}
    assert all("Take the antenna off" in f["first_step"] for f in findings)
