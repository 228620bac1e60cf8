"""What the Sweep screen and its drawings are made of: colour maps, live pictures, and the demo's story in them."""

import json

import numpy as np
import pytest
from rich.color import Color, ColorSystem

from gray_kettle.cli.main import main
from gray_kettle.collect.prefetch import ahead
from gray_kettle.model.records import Span, SweepRows
from gray_kettle.session import load_session
from gray_kettle.simulator import tern_quay
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case
from gray_kettle.tui.sweep import colours
from gray_kettle.tui.sweep.live import LiveRows, composed, continued


def luminance(rgb):
    return 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]


@pytest.mark.parametrize("dark", [True, False])
@pytest.mark.parametrize("made", [colours.water_colours, colours.presence_colours])
def test_more_is_never_drawn_as_less_in_true_colour_and_in_256(made, dark):
    """Dark ground: brighter with the level; light ground: darker. 256 colours keep the order."""
    sign = 1 if dark else -1
    table = made(dark)
    levels = np.array([luminance(rgb) for rgb in table[: colours.LEVELS]]) * sign
    assert np.diff(levels).min() > 0
    sent = [Color.from_rgb(*rgb).downgrade(ColorSystem.EIGHT_BIT) for rgb in colours.in_256(table)]
    few = [c.get_truecolor() for c in sent[: colours.LEVELS]]
    assert np.diff([luminance(rgb) * sign for rgb in few]).min() >= 0
    assert len(set(few)) >= 9


def test_without_colour_shades_rise_with_the_level():
    dots = np.arange(colours.LEVELS, dtype=np.uint8)
    (segment,) = colours.plain(dots, dots, None)
    ranks = [" ·░▒▓█".index(glyph) for glyph in segment.text]
    assert ranks == sorted(ranks)
    assert set(ranks) == set(range(6))


def test_a_picture_that_goes_on_is_the_one_made_anew():
    """Waterfall lines, after any number of rows, to the last dot."""
    live = LiveRows()
    rng = np.random.default_rng(1)
    span = Span(2400e6, 1e6, 90)
    before = None
    for k in range(900):
        levels = rng.normal(-100, 2, (1, 90)).astype(np.float32)
        live.add(SweepRows(span, np.array([1.79e9 + 0.05 * k]), levels))
        if k % 37 == 36:
            frame = live.frame(2400e6, 2490e6, 45, 40)
            whole = composed(frame, live.snapshot())
            if before is not None:
                gone_on = continued(frame, live.snapshot(), before)
                assert np.array_equal(gone_on.view.peak_dbm, whole.view.peak_dbm, equal_nan=True)
            before = whole


def test_working_ahead_keeps_order_and_errors_and_ends_when_closed():
    def numbers():
        yield from range(5)
        raise ValueError("five")

    made = ahead(numbers())
    assert [next(made) for _ in range(5)] == list(range(5))
    with pytest.raises(ValueError, match="five"):
        next(made)
    endless = ahead(iter(int, 1))
    assert next(endless) == 0
    endless.close()


def moment(hour, day=1):
    return tern_quay.START_S + 86_400 * day + 3600 * hour


@pytest.fixture(scope="module")
def demo(demo_case):
    with Case.open(demo_case) as case:
        yield case


def over_at(case, hour, minutes, mhz):
    frame = Frame(2399e6, 2487e6, 176, moment(hour), moment(hour + minutes / 60), 20)
    view = case.sweeps.view(frame)
    return float(view.over[np.abs(view.frame.column_hz - mhz * 1e6).argmin()])


@pytest.mark.slow
def test_the_oven_is_on_the_upper_half_at_lunch_and_not_at_night(demo):
    assert over_at(demo, 11.75, 105, 2456) > over_at(demo, 2, 105, 2456) + 0.15


def test_the_camera_is_there_while_a_boat_is_in(demo):
    """Channel 3 hides it where the hall sends; over the day's rows the hump stands between hall's bursts."""
    frames = [Frame(2399e6, 2487e6, 176, moment(a), moment(b), 10) for a, b in ((15.6, 16.1), (14.5, 15.0))]
    with_boat, without = (demo.sweeps.view(f).quantile_dbm(0.3) for f in frames)
    at = np.abs(frames[0].column_hz - 2420.5e6).argmin()
    assert with_boat[at] > without[at] + 10


def test_sweeps_are_the_source_of_utilisation_where_there_are_any(demo):
    channels = {
        (p.channel.band, p.channel.primary): p.utilisation for p in load_session(demo).assessment.channels
    }
    assert channels["2.4", 6].source == "sweep"
    assert "frames" in dict(channels["2.4", 6].others)
    assert channels["6", 37].source != "sweep"


def test_dense_rows_make_the_share_certain(demo):
    start_s = moment(12.7)
    used = load_session(demo, start_s, start_s + 170).assessment.channels[5].utilisation
    assert (used.source, used.confidence) == ("sweep", "high")


def test_the_answer_shows_every_width_and_the_hours(demo_case, capsys):
    assert main(["air", str(demo_case), "--band", "2.4", "--json"]) == 0
    sweeps = json.loads(capsys.readouterr().out)["sweeps"]
    assert {s["width_mhz"] for s in sweeps} == {20, 40}
    six = next(s for s in sweeps if (s["channel"], s["width_mhz"]) == (6, 20))
    assert len(six["by_hour"]) == 24
    by_hour = {h["hour_utc"]: h["duty"] for h in six["by_hour"]}
    assert by_hour[12] > 3 * by_hour[3]


@pytest.mark.parametrize(("view", "said"), [("sweep", "noise floor"), ("waterfall", "running down")])
@pytest.mark.slow
def test_drawings_are_the_same_each_time_and_bounded(demo_case, tmp_path, view, said):
    window = ["--from", "2026-11-13T11:40", "--to", "2026-11-13T12:20"]
    drawn = []
    for name in ("a", "b"):
        path = tmp_path / f"{name}.svg"
        assert main(["draw", view, str(demo_case), "-o", str(path), *window]) == 0
        drawn.append(path.read_text())
    assert drawn[0] == drawn[1]
    assert said in drawn[0]
    assert "Tern Quay ferry terminal, ticket hall: 2.4 GHz" in drawn[0]
    assert len(drawn[0]) < 2_000_000
    assert main(["draw", view, str(demo_case), "-o", str(tmp_path / "a.pdf"), *window]) == 0


def test_a_drawing_of_what_was_not_swept_says_so(demo_case, tmp_path, capsys):
    assert main(["draw", "sweep", str(demo_case), "--band", "6", "-o", str(tmp_path / "a.svg")]) == 1
    assert "nothing was swept in 6 GHz in this window" in capsys.readouterr().err
