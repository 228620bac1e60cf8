"""Sweeps from files: tables in any order of columns, records of Wi-Fi cards, I/Q recordings; and their faults."""

import json
import struct
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.decode.sweeps.column_layout import parse_layout
from gray_kettle.decode.sweeps.number_parsing import decimals, numbers
from gray_kettle.decode.sweeps.table import TableReader
from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.store import Case
from tests.sweeps import taken

START_S = 1.79e9
OWN = "time,start_hz,step_hz,dbm"
STAMP = datetime.fromtimestamp(START_S, UTC).strftime("%Y-%m-%d, %H:%M:%S")


def read_table(text, layout=None, block=1 << 20):
    """(sweep rows, notes) of a table."""
    reader = TableReader(parse_layout(layout) if layout else None)
    octets = np.frombuffer(text.encode("utf-8", "surrogateescape"), np.uint8)
    at = 0

    def readinto(room):
        nonlocal at
        count = min(len(room), block, len(octets) - at)
        room[:count] = octets[at : at + count]
        at += count
        return count

    pieces = list(reader.pieces(readinto))
    assert sum(p.records for p in pieces) == sum(len(r) for p in pieces for r in p.sweeps)
    return [rows for p in pieces for rows in p.sweeps], reader.notes, sum(p.skipped for p in pieces)


def own_rows(rows, bins=4, start=2400500000, step=1000000):
    return [
        f"{START_S + k:.1f},{start},{step}," + ",".join(f"{-90 - k - b}" for b in range(bins)) for k in rows
    ]


# Numbers


@given(
    st.lists(st.integers(-99999, 99999), min_size=1, max_size=60),
    st.integers(0, 3),
)
def test_decimals_are_read_as_python_reads_them(values, places):
    words = [f"{v / 10**places:.{places}f}" for v in values]
    found = decimals(",".join(words).encode(), len(words))
    assert found is not None
    assert found == pytest.approx([float(w) for w in words], abs=1e-3)


@given(st.binary(max_size=60))
def test_what_is_no_list_of_decimals_is_never_misread(raw):
    count = raw.count(b",") + 1
    found = decimals(raw, count)
    if found is not None:
        assert found == pytest.approx([float(w) for w in raw.split(b",")], rel=1e-5, abs=1e-3)


@pytest.mark.parametrize(
    ("text", "values"),
    [
        (b"-93,-93.5,-9.35e1", [-93, -93.5, -93.5]),
        (b"-93.5,nan,-90.0", [-93.5, np.nan, -90]),
        (b"-93.5,,x", [-93.5, np.nan, np.nan]),
        (b"+3.0,-1.0", [3, -1]),
    ],
)
def test_other_forms_go_the_slow_way(text, values):
    assert numbers(text, len(values)) == pytest.approx(values, nan_ok=True)


# Tables


@pytest.mark.parametrize("block", [7, 64, 1 << 20])
def test_the_own_table_comes_back(block):
    text = "\n".join(
        ["# detector: max", "# averages: 8", "# sweep_s: 0.2", "# antenna: whip", OWN, *own_rows(range(40))]
    )
    rows, notes, skipped = read_table(text, block=block)
    span = rows[0].span
    assert (span.start_hz, span.step_hz, span.bins) == (2400.5e6, 1e6, 4)
    assert (span.detector, span.averages, span.sweep_s, span.antenna) == ("max", 8, 0.2, "whip")
    levels = np.concatenate([r.levels_dbm for r in rows])
    assert levels[7].tolist() == [-97, -98, -99, -100]
    assert np.concatenate([r.time_s for r in rows]).tolist() == [START_S + k for k in range(40)]
    assert (notes, skipped) == ([], 0)


@pytest.mark.parametrize(
    ("layout", "head"),
    [
        ("time,start_hz,step_hz,dbm", "{t},2400500000,1e6"),
        ("time,low_hz,high_hz,dbm", "{t},2400000000,2404000000"),
        ("date,clock,low_hz,high_hz,step_hz,samples,dbm", "{d}, 2400000000, 2404000000, 1000000.00, 20"),
        ("skip,step_hz,start_hz,skip,time,dbm", "x,1000000,2400500000,?,{t}"),
    ],
)
def test_any_order_of_columns_gives_the_same_sweep(layout, head):
    when = START_S
    line = head.format(t=when, d=STAMP) + ", -90.25, -91.00, -92.5, -93"
    rows, notes, _ = read_table(line + "\n", layout)
    assert notes == []
    span = rows[0].span
    assert (span.start_hz, span.step_hz, span.bins) == (2400.5e6, 1e6, 4)
    assert rows[0].time_s.tolist() == [when]
    assert rows[0].levels_dbm[0].tolist() == [-90.25, -91, -92.5, -93]
    assert span.averages == (20 if "samples" in layout else 1)


def pieces_of(sweeps, order, width_hz=5e6, per_piece=5, missing=(), reach_hz=0.0):
    """Rows of a program that tells a span piece by piece, not from left to right."""
    lines = []
    for sweep in range(sweeps):
        for k, piece in enumerate(order):
            if (sweep, piece) in missing:
                continue
            low = 2400e6 + piece * width_hz
            levels = ",".join(str(-100 + piece % 50 + 0.5) for _ in range(per_piece))
            lines.append(
                f"{START_S + sweep + 0.1 * k:.2f},{low:.0f},{low + (reach_hz or width_hz):.0f},{levels}"
            )
    return "\n".join(lines) + "\n"


def test_pieces_become_one_sweep_and_keep_their_times():
    order = (0, 2, 1, 3)
    rows, notes, _ = read_table(pieces_of(20, order), "time,low_hz,high_hz,dbm")
    assert notes == []
    assert {r.span for r in rows} == {rows[0].span}
    span = rows[0].span
    assert (span.start_hz, span.bins, span.pieces) == (2400.5e6, 20, (0, 5, 10, 15))
    assert sum(len(r) for r in rows) == 20
    assert rows[0].offset_s[0] == pytest.approx([0, 0.2, 0.1, 0.3], abs=1e-5)
    assert rows[0].levels_dbm[0].tolist() == [-99.5] * 5 + [-98.5] * 5 + [-97.5] * 5 + [-96.5] * 5


def test_a_piece_that_is_missing_is_not_measured_and_moves_no_other():
    rows, _, _ = read_table(pieces_of(20, (0, 1, 2, 3), missing={(4, 0), (9, 3)}), "time,low_hz,high_hz,dbm")
    levels = np.concatenate([r.levels_dbm for r in rows])
    times = np.concatenate([r.time_s for r in rows])
    assert len(levels) == 20
    assert np.isnan(levels[4, :5]).all()
    assert np.isnan(levels[9, 15:]).all()
    assert np.isfinite(levels).sum() == 20 * 20 - 10
    assert times[4] == pytest.approx(START_S + 4.1)


def test_pieces_that_overlap_give_each_bin_to_the_nearer_middle():
    table = pieces_of(10, (0, 1), width_hz=4e6, per_piece=6, reach_hz=6e6)
    rows, _, _ = read_table(table, "time,low_hz,high_hz,dbm")
    assert rows[0].span.bins == 10
    assert rows[0].levels_dbm[0].tolist() == [-99.5] * 5 + [-98.5] * 5


def test_pieces_that_leave_a_gap_leave_it_empty_and_far_bands_are_spans_of_their_own():
    rows, _, _ = read_table(pieces_of(10, (0, 2)), "time,low_hz,high_hz,dbm")
    assert np.isnan(rows[0].levels_dbm[0]).tolist() == [False] * 5 + [True] * 5 + [False] * 5
    rows, _, _ = read_table(pieces_of(10, (0, 600)), "time,low_hz,high_hz,dbm")
    assert {(r.span.start_hz, r.span.bins) for r in rows} == {(2400.5e6, 5), (5400.5e6, 5)}
    assert sum(len(r) for r in rows) == 20


def test_rows_that_share_a_second_are_spread_over_it():
    lines = [
        f"{STAMP[:-2]}{k // 5:02}, 2400000000, 2404000000, 1000000, 1, -90, -91, -92, -93" for k in range(30)
    ]
    rows, _, _ = read_table("\n".join(lines), "date,clock,low_hz,high_hz,step_hz,samples,dbm")
    times = np.concatenate([r.time_s for r in rows])
    assert len(times) == 30
    assert np.diff(times) == pytest.approx(np.full(29, 0.2), abs=1e-3)


GOOD = own_rows(range(10))


@pytest.mark.parametrize(
    ("lines", "kept", "said"),
    [
        ([*GOOD, "walrus"], 10, "Line 12 was skipped: it has 1 fields"),
        ([*GOOD, GOOD[0].replace("2400500000", "2400.5")], 10, "it seems to be in MHz; write low_mhz"),
        ([*GOOD, f"{START_S + 20},2400500000,1000000,0.001,0.002,90,91"], 10, "these are not dBm"),
        ([*GOOD, f"{START_S + 20},2400500000,1000000,nan,nan,nan,nan"], 10, "none of its levels is a number"),
        ([*GOOD, f"{START_S + 20},2400500000,1000000,-90,oops,-92,-93"], 11, "1 levels were not numbers"),
        ([*GOOD, *own_rows([20, 21], bins=6)], 12, "Line 12: 6 levels in a row; earlier rows had 4"),
        ([*GOOD, *own_rows([2, 3])], 12, "Line 12: time goes back by 7.000 s"),
        ([*GOOD, f"yesterday,2400500000,1000000,{-90},-91,-92,-93"], 10, "“yesterday” is not a time"),
        ([*GOOD, f"{START_S + 20},2400500000,-5,-90,-91,-92,-93"], 10, "-5 is not a step_hz"),
        (["# averages: many", *GOOD], 10, "“many” is no averages"),
        ([*GOOD[:5], "\x1b[2J\udcff\udcfe", *GOOD[5:]], 10, "Line 7 was skipped"),
    ],
)
def test_what_is_wrong_is_said_with_its_line_and_the_rest_is_kept(lines, kept, said):
    rows, notes, skipped = read_table("\n".join([OWN, *lines]))
    assert sum(len(r) for r in rows) == kept
    assert any(said in note for note in notes), notes
    assert not any("\x1b" in note for note in notes)
    assert skipped == sum("skipped" in note for note in notes)


@given(
    st.lists(
        st.sampled_from([*GOOD, "", "#", "x,y", "1,2,3,4", "\x00", "9" * 40, "-,-,-,-,-", "1e999,1,1,1"]),
        max_size=25,
    )
)
def test_no_table_gives_anything_but_rows_and_notes(lines):
    rows, notes, _ = read_table("\n".join([OWN, *lines]))
    assert sum(len(r) for r in rows) == sum(line in GOOD for line in lines)
    assert all(isinstance(note, str) for note in notes)


@pytest.mark.parametrize(
    ("layout", "why"),
    [
        ("time,start_hz", "ends in"),
        ("time,start_hz,volts,dbm", "volts"),
        ("time,step_hz,dbm", "needs start_hz"),
        ("time,start_hz,dbm", "needs step_hz"),
        ("date,start_hz,step_hz,dbm", "needs time"),
    ],
)
def test_a_layout_that_is_none_is_refused(layout, why, tmp_path, capsys):
    with pytest.raises(InvalidInput, match=why):
        parse_layout(layout)
    assert main(["take", str(tmp_path / "a.kettle"), "x", "--layout", layout]) == 2
    assert why in capsys.readouterr().err


def test_a_table_with_the_wrong_layout_says_what_it_found(tmp_path, capsys):
    case, table = tmp_path / "a.kettle", tmp_path / "rows.txt"
    table.write_text("\n".join(GOOD))
    assert main(["new", str(case)]) == 0
    assert main(["take", str(case), str(table), "--layout", "date,clock,start_hz,step_hz,dbm"]) == 1
    assert "is not a date and clock: does the layout fit?" in capsys.readouterr().err
    assert main(["take", str(case), str(table), "--layout", OWN, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["inputs"][0]["records"] == 10


# Records of Wi-Fi cards


def record(kind, *, bins, tsf_us, noise=-95, rssi=20, exponent=1, freq=2437):
    data = bytes(bins)
    if kind == 1:
        body = struct.pack(">BHbbHBBQ", exponent, freq, rssi, noise, 100, 3, 9, tsf_us) + data
    elif kind == 2:
        body = (
            struct.pack(
                ">BHbbQbbHHBBBBB", 3, freq, rssi, rssi, tsf_us, noise, noise, 1, 1, 1, 1, 1, 1, exponent
            )
            + data
        )
    elif kind == 3:
        body = (
            struct.pack(">BHHhHHHQbBBBB", 22, freq, 0, noise, 9, 0, 0, tsf_us, 3, rssi, 0, 0, exponent) + data
        )
    else:
        body = struct.pack(">BbBHHHhIi", 20, 3, exponent, freq, 0, 9, rssi, tsf_us, noise) + data
    return struct.pack(">BH", kind, len(body)) + body


def magnitudes(bins):
    """One strong bin, the rest alike."""
    values = [4] * bins
    values[bins // 4] = 40
    return bytes(values)


@pytest.mark.parametrize(
    ("kind", "bins", "first_hz", "step_hz"),
    [
        (1, magnitudes(56), 2437e6 - 27.5 * 312.5e3, 312.5e3),
        (2, magnitudes(64) * 2, 2447e6 - 63.5 * 312.5e3, 312.5e3),
        (3, magnitudes(64), 2437e6 - 31.5 * 22e6 / 64, 22e6 / 64),
        (4, magnitudes(128), 2437e6 - 63.5 * 20e6 / 128, 20e6 / 128),
    ],
)
def test_records_are_scaled_to_the_power_that_the_card_shows(tmp_path, kind, bins, first_hz, step_hz):
    path = tmp_path / "fft.bin"
    path.write_bytes(b"".join(record(kind, bins=bins, tsf_us=1000 * k) for k in range(30)))
    rows, notes = taken(path)
    span = rows[0].span
    assert (span.start_hz, span.step_hz, span.bins) == (
        pytest.approx(first_hz),
        pytest.approx(step_hz),
        len(bins),
    )
    levels = np.concatenate([r.levels_dbm for r in rows])
    assert levels.shape == (30, len(bins))
    half = levels[0, : len(bins) // 2] if kind == 2 else levels[0]
    assert 10 * np.log10((10 ** (half.astype(float) / 10)).sum()) == pytest.approx(-75, abs=0.01)
    assert half.max() - half.min() == pytest.approx(20, abs=0.01)  # ten times the magnitude
    times = np.concatenate([r.time_s for r in rows])
    assert np.diff(times) == pytest.approx(np.full(29, 1e-3), abs=1e-6)
    assert "no time of day" in notes[0]


def test_records_of_a_card_that_walks_over_channels_become_one_span(tmp_path):
    path = tmp_path / "walk.bin"
    octets = b"".join(
        record(1, bins=magnitudes(56), tsf_us=1000 * (13 * turn + n), freq=2412 + 5 * n)
        for turn in range(12)
        for n in range(13)
    )
    path.write_bytes(octets + b"\x01\x00")
    rows, notes = taken(path)
    widest = max((r.span for r in rows), key=lambda s: s.bins)
    assert widest.start_hz == pytest.approx(2412e6 - 27.5 * 312.5e3)
    assert widest.end_hz == pytest.approx(2472e6 + 27.5 * 312.5e3)
    assert sum(len(r) for r in rows) == 12
    assert "The last record is cut short at byte" in " ".join(notes)


@given(st.binary(max_size=400))
def test_no_bytes_make_records_fail_otherwise(tmp_path_factory, tail):
    path = tmp_path_factory.mktemp("fft") / "x.bin"
    path.write_bytes(record(1, bins=magnitudes(56), tsf_us=5) + tail)
    try:
        rows, _ = taken(path)
    except KettleError:
        return
    assert all(np.isfinite(r.time_s).all() for r in rows)


def test_the_same_sweeps_are_not_taken_twice(tmp_path, case_of):
    table = tmp_path / "a.csv"
    table.write_text("\n".join([OWN, *GOOD]))
    path = case_of(table, table)
    with Case.open(path) as case:
        assert [t.records for t in case.takes()] == [10]
        assert case.takes()[0].kind == "sweep table"


# Columns without a header

_HIGH = 20_000_000


def _foreign(form, rows=12):
    """Two pieces a second of 20 bins of 1 MHz, in one of many orders, separators and units."""
    lines = []
    for k in range(rows):
        low = 2_400_000_000 + k % 2 * _HIGH
        known = {
            "s": k // 2,
            "unix": START_S + k // 2,
            "ms": 1000 * (START_S + k // 2),
            "low": low,
            "high": low + _HIGH,
            "lowm": low / 1e6,
            "highm": (low + _HIGH) / 1e6,
            "lowg": low / 1e9,
            "highg": (low + _HIGH) / 1e9,
            "first": low + 500_000,
            "last": low + _HIGH - 500_000,
        }
        head, mark = form
        levels = [f"-{90 + (7 * k + b) % 9}.5" for b in range(20)]
        line = head.format(**known) + mark + mark.join(levels)
        lines.append(line.replace(".", ",") if mark == "; " else line)
    return "\n".join(lines) + "\n"


_FORMS = {
    "date,clock,low_hz,high_hz,step_hz,samples,dbm": (
        "2026-11-30, 12:00:0{s}, {low}, {high}, 1000000, 20",
        ", ",
    ),
    "date_dmy,clock,low_mhz,high_mhz,step_khz,dbm": ("30.11.2026; 12:00:0{s}; {lowm}; {highm}; 1000", "; "),
    "moment,low_hz,high_hz,step_hz,dbm": ("2026-11-30T12:00:0{s}Z\t{low}\t{high}\t1000000", "\t"),
    "time,low_mhz,high_mhz,dbm": ("{unix} {lowm} {highm}", " "),
    "time_ms,samples,step_khz,low_hz,high_hz,dbm": ("{ms:.0f},16,1000.0,{low},{high}", ","),
    "low_hz,high_hz,step_hz,clock,date,dbm": ("{low};{high};1000000;12:00:0{s};2026/11/30", ";"),
    "date_mdy,clock,low_hz,high_hz,step_hz,dbm": ("11/30/2026,12:00:0{s},{low},{high},1000000", ","),
    "date,clock,start_hz,stop_hz,step_hz,dbm": ("2026-11-30,12:00:0{s},{first},{last},1000000", ","),
    "date,clock,low_ghz,high_ghz,step_mhz,samples,dbm": (
        "2026-11-30 12:00:0{s}.250 {lowg} {highg} 1.0 8",
        " ",
    ),
}


@pytest.mark.parametrize("header", ["", "Datum;Zeit;von;bis;Schritt;Pegel\n"], ids=["bare", "with a header"])
@pytest.mark.parametrize("layout", _FORMS)
def test_columns_are_recognised_without_a_layout(layout, header, tmp_path):
    path = tmp_path / "sweep.txt"
    path.write_text(header + _foreign(_FORMS[layout]))
    rows, notes = taken(path)
    assert notes[0].startswith(f"Columns were recognised as {layout};")
    assert len(notes) == 1
    assert sum(len(r) for r in rows) == 6
    assert {(r.span.start_hz, round(r.span.step_hz), r.span.bins) for r in rows} == {
        (2400.5e6, 1_000_000, 40)
    }


@pytest.mark.parametrize(
    ("head", "choices"),
    [
        ("11/05/2026,12:00:0{s},{low},{high},1000000", ("2026-05-11", "2026-11-05")),
        ("2026-11-30,12:00:0{s},{low},1000000", ("centres 2,400.000", "centres 2,400.500")),
    ],
    ids=["day or month first", "edge or centre"],
)
def test_what_the_content_leaves_open_is_asked(head, choices, tmp_path):
    path = tmp_path / "sweep.txt"
    path.write_text(_foreign((head, ",")))
    with pytest.raises(KettleError) as said:
        taken(path)
    assert str(said.value).count("--layout") == 2
    assert all(choice in str(said.value) for choice in choices)
