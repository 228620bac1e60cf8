"""One validation of the setup for the commands and the forms."""

import contextlib
from types import SimpleNamespace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle import setup_editor as edit
from gray_kettle.errors import InvalidInput
from gray_kettle.model.setup import Setup
from gray_kettle.planner.limits import parse_limit, parse_limits
from gray_kettle.site_timezone import site_time

RADIO = "02:7a:10:01:20:00"


@pytest.mark.parametrize(
    ("change", "wrong", "right", "kept"),
    [
        (edit.with_country, "Britain", " gb ", lambda s: s.country == "GB"),
        (edit.with_time_zone, "Mars/Base", "America/Chicago", lambda s: s.time_zone == "America/Chicago"),
        (edit.with_hours, "8 to 9", "8-16", lambda s: s.preferences.hours == "8-16"),
        (edit.with_radar, "maybe", "avoid", lambda s: s.preferences.radar == "avoid"),
        (edit.with_most_moves, "-1", "3", lambda s: s.preferences.most_moves == 3),
        (edit.with_change_cost, "nan", "0.2", lambda s: s.preferences.change_cost == 0.2),
        (edit.with_threshold, "act-lost=900", "act-lost=60", lambda s: s.thresholds == (("act_lost", 0.6),)),
        (lambda s, t: edit.with_client_limits(s, parse_limits(t)), "fast", "5:36-48,149; tern gate@2.4:1-11",
         lambda s: s.clients == ("5:36-48,149", "tern gate@2.4:1-11")),
        (lambda s, t: edit.with_radio_limits(s, RADIO, t.split(";")), "red", "36-48; 40MHz",
         lambda s: s.preferences.offers == ((RADIO, "36-48"), (RADIO, "40MHz"))),
        (lambda s, t: edit.with_weight(s, RADIO, t), "101", "2", lambda s: s.preferences.weights == ((RADIO, 2.0),)),
        (lambda s, t: edit.with_locked(s, [t]), "hall", RADIO, lambda s: s.preferences.locked == (RADIO,)),
        (lambda s, t: edit.with_reference(s, edit.reference_from(t)), "2026-01-02/2026-01-01",
         "1970-01-01T00:00/1970-01-01T01:00Z", lambda s: s.reference == (0.0, 3600.0)),
    ],
)  # fmt: skip
def test_invalid_input_is_refused_and_valid_input_is_kept(change, wrong, right, kept):
    setup = Setup(site="Ferry")
    with pytest.raises(InvalidInput):
        change(setup, wrong)
    changed = change(setup, right)
    assert kept(changed)
    assert changed.site == "Ferry"


@pytest.mark.parametrize(
    ("limit", "permitted", "refused"),
    [
        ("5:36-48,149", ((36, 20), (48, 20), (149, 20), (44, 80)), ((52, 20), (153, 20), (40 - 8, 20))),
        ("2.4:1-11", ((1, 20), (11, 20)), ((12, 20), (13, 20), (0, 20))),
        ("2.4:6", ((6, 20), (6, 40)), ((5, 20), (7, 20))),
        ("5:20MHz", ((36, 20), (165, 20)), ((36, 40), (36, 80))),
        ("5:80 MHz", ((36, 20), (36, 80)), ((36, 160),)),
    ],
)
def test_a_limit_permits_its_channels_and_widths_and_no_others(limit, permitted, refused):
    parsed = parse_limit(limit)

    def permits(primary, width_mhz):
        return parsed.permits(SimpleNamespace(primary=primary, width_mhz=width_mhz))

    assert all(permits(*channel) for channel in permitted)
    assert not any(permits(*channel) for channel in refused)


@pytest.mark.parametrize(
    ("limit", "concerned"),
    [("2.4:1-11", {"a", "b"}), ("tern gate@2.4:1-11", {"b"}), ("5:36-48", {"c"}), ("tern gate@5:36", set())],
)
def test_a_limit_concerns_the_radios_of_its_band_and_ssid(limit, concerned):
    def radio(name, band, ssid):
        return SimpleNamespace(id=name, band=band, networks=(SimpleNamespace(ssid=ssid),))

    radios = [radio("a", "2.4", b"other"), radio("b", "2.4", b"tern gate"), radio("c", "5", b"other")]
    assert {r.id for r in radios if parse_limit(limit).concerns(r)} == concerned


@pytest.mark.parametrize(
    ("text", "limits"),
    [
        ("", ()),
        (" ; ", ()),
        ("2.4:1-11 5:20MHz", ("2.4:1-11", "5:20MHz")),
        ("tern gate@2.4:1-11", ("tern gate@2.4:1-11",)),
        ("5:36-48,149; 2.4:1-11;", ("5:36-48,149", "2.4:1-11")),
    ],
)
def test_limits_of_one_line(text, limits):
    assert parse_limits(text) == limits


@pytest.mark.parametrize(
    "text", ["5:", "5:36-", "5:-36", "7:36", "5:1-999999999", "2.4:1-11 and more", "x@5"]
)
def test_what_is_not_a_limit_is_refused(text):
    with pytest.raises(InvalidInput):
        parse_limits(text)


@given(st.text())
@pytest.mark.slow
def test_any_text_is_kept_or_refused(text):
    for change in (
        edit.with_country,
        edit.with_time_zone,
        edit.with_hours,
        edit.with_threshold,
        edit.with_most_moves,
    ):
        with contextlib.suppress(InvalidInput):
            change(Setup(), text)


@pytest.mark.parametrize(
    ("setup", "suffix", "hour"),
    [
        (Setup(country="GB"), "", 12),
        (Setup(country="US"), " UTC", 12),
        (Setup(country="US", time_zone="America/Chicago"), "", 6),
        (Setup(country="GB", time_zone="Asia/Tokyo"), "", 21),
        (Setup(), " UTC", 12),
    ],
)
def test_the_time_zone_of_a_site(setup, suffix, hour):
    times = site_time(setup.country, setup.time_zone)
    assert (times.suffix, times.moment(1_794_484_800.0).hour) == (suffix, hour)


def test_a_radio_is_named_renamed_and_marked():
    named = edit.with_radio_name(Setup(), [RADIO], "hall")
    assert edit.with_radio_name(named, [RADIO.upper()], "").names == ()
    foreign = edit.with_ownership(edit.with_ownership(named, [RADIO], True), [RADIO], False)
    assert (foreign.own, foreign.foreign) == ((), (RADIO,))
    toggled = edit.with_lock_toggled(edit.with_lock_toggled(named, RADIO), RADIO)
    assert toggled.preferences.locked == ()
