"""I/Q recordings in SigMF: samples of every type, captures, annotations, and their faults."""

import json
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from gray_kettle.collect.files import SweepOptions, open_file
from gray_kettle.errors import KettleError
from tests.sweeps import taken


def recorded(
    folder: Path, datatype: str, samples: np.ndarray, captures: list, annotations=(), **facts
) -> Path:
    """A recording written by the format's own library."""
    import sigmf

    path = folder / "recording.sigmf-data"
    parts = np.stack([samples.real, samples.imag], axis=1).ravel() if datatype[0] == "c" else samples.real
    kind = np.dtype(
        (">" if datatype.endswith("_be") else "<")
        + datatype[1]
        + str(int(datatype[2:].partition("_")[0]) // 8)
    )
    if kind.kind == "f":
        stored = parts.astype(kind)
    else:
        full = 2.0 ** (8 * kind.itemsize - 1)
        stored = np.clip(
            np.round(parts * full) + (full if kind.kind == "u" else 0), np.iinfo(kind).min, np.iinfo(kind).max
        ).astype(kind)
    stored.tofile(path)
    meta = sigmf.SigMFFile(
        data_file=str(path), global_info={"core:datatype": datatype, "core:sample_rate": 2e6, **facts}
    )
    for start, told in captures:
        meta.add_capture(start, metadata=told)
    for start, length, told in annotations:
        meta.add_annotation(start, length, metadata=told)
    meta.tofile(str(folder / "recording.sigmf-meta"))
    return folder / "recording.sigmf-meta"


def tone(count, offset_hz, level=0.1, rate_hz=2e6):
    rng = np.random.default_rng(1)
    noise = (rng.normal(size=count) + 1j * rng.normal(size=count)) * 1e-3
    return level * np.exp(2j * np.pi * offset_hz / rate_hz * np.arange(count)) + noise


WIDE = ("f64", "f32", "i32", "i16", "u32", "u16")
TYPES = [f"{c}{kind}{order}" for c in "cr" for kind in WIDE for order in ("_le", "_be")]
TYPES += [f"{c}{kind}" for c in "cr" for kind in ("i8", "u8")]


@pytest.mark.parametrize("datatype", TYPES)
def test_every_type_of_sample_shows_the_tone_where_and_as_strong_as_it_is(tmp_path, datatype):
    """A tone of a tenth of full scale (−20 dB) 300 kHz over the centre; a real one has half of that power."""
    frequency = {"core:frequency": 2.4405e9, "core:datetime": "2026-11-13T12:00:00.123456789Z"}
    meta = recorded(tmp_path, datatype, tone(60_000, 300e3), [(0, frequency)])
    rows, _ = taken(meta, SweepOptions(bin_hz=20e3, full_scale_dbm=-30.0))
    span = rows[0].span
    assert span.bins == (100 if datatype[0] == "c" else 50)
    assert span.step_hz == 20e3
    power = (10 ** (np.concatenate([r.levels_dbm for r in rows]).astype(float) / 10)).mean(axis=0)
    assert span.start_hz + span.step_hz * int(power.argmax()) == pytest.approx(2.4408e9, abs=20e3)
    expected = -50 if datatype[0] == "c" else -53
    assert 10 * np.log10(power.sum()) == pytest.approx(expected, abs=0.5)
    assert rows[0].time_s[0] == pytest.approx(
        datetime(2026, 11, 13, 12, tzinfo=UTC).timestamp() + 0.123456, abs=1e-3
    )


def test_captures_are_spans_of_their_own_and_annotations_are_notes(tmp_path):
    captures = [
        (0, {"core:frequency": 2.44e9, "core:datetime": "2026-11-13T12:00:00Z"}),
        (40_000, {"core:frequency": 5.6e9, "core:datetime": "2026-11-13T12:05:00Z"}),
    ]
    told = {
        "core:label": "burst \x1b[31m",
        "core:freq_lower_edge": 2.4399e9,
        "core:freq_upper_edge": 2.4401e9,
    }
    meta = recorded(tmp_path, "cf32_le", tone(80_000, 1e5), captures, [(2000, 500, told)])
    rows, notes = taken(tmp_path / "recording.sigmf-data")
    assert {round(r.span.start_hz / 1e9, 1) for r in rows} == {2.4, 5.6}
    assert {datetime.fromtimestamp(r.time_s[0], UTC).minute for r in rows} == {0, 5}
    notes = " ".join(notes)
    assert "Annotated at 2026-11-13 12:00:00 UTC, 2439.9 to 2440.1 MHz: burst �[31m." in notes
    assert "full scale is assumed to be -20 dBm" in notes
    assert meta.exists()


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"core:datatype": "cq7"}, "is not a sample type"),
        ({"core:sample_rate": "fast"}, "has no sample rate"),
        ({"captures": []}, "no capture has a frequency"),
        ({"captures": 7}, "no capture has a frequency"),
    ],
)
def test_a_description_that_does_not_describe_is_refused(tmp_path, change, said):
    meta = recorded(tmp_path, "ci16_le", tone(3000, 0), [(0, {"core:frequency": 2.44e9})])
    document = json.loads(meta.read_text())
    if "captures" in change:
        document.update(change)
    else:
        document["global"].update(change)
    meta.write_text(json.dumps(document))
    with pytest.raises(KettleError, match=said):
        open_file(meta)
    meta.with_suffix(".sigmf-data").unlink()
    with pytest.raises(KettleError, match=r"recording\.sigmf"):
        open_file(meta)


def test_a_recording_that_is_cut_gives_what_came_before(tmp_path):
    meta = recorded(tmp_path, "cf32_le", tone(50_000, 0), [(0, {"core:frequency": 2.44e9})])
    data = meta.with_suffix(".sigmf-data")
    data.write_bytes(data.read_bytes()[:-3])
    rows, notes = taken(meta)
    assert sum(len(r) for r in rows) == 3
    assert "has no time" in " ".join(notes)
