"""The usual mistakes of the trade, each worked out by hand and met by the model."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gray_kettle.analysis.assess import assess
from gray_kettle.analysis.explain import of_assessment, of_channel, of_own, of_radio
from gray_kettle.analysis.loss.channel_assessment import assess_all_channels, effect_on_own
from gray_kettle.analysis.loss.emitter_loss import Emission
from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio, score_channels
from gray_kettle.model.records import Listening, Observations, Sightings, Traffic
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import narrow, wide
from tests.radios import emitter, facts, network, radio

TYPICAL_CLIENT = VictimRadio("ax", 2, -65.0)
RASTER = [narrow("2.4", n) for n in (1, 6, 11)]


def among(*rows, emissions=()):
    """Others from (number, level, activity) in 2.4 GHz, or a channel in place of the number."""
    channels = tuple(narrow("2.4", r[0]) if isinstance(r[0], int) else r[0] for r in rows)
    level, activity = (np.array([r[k] for r in rows], dtype=float) for k in (1, 2))
    ones = np.ones(len(rows))
    return Interferers(channels, level, activity, ones, ones * np.nan, ones > 1, emissions)


def expected(others, *channels):
    return score_channels(TYPICAL_CLIENT, Candidates(channels or RASTER), others)


def test_a_six_quiet_networks_against_one_busy_neighbour():
    """Counting names says 11 (one) over 1 (six). But −88 dBm is 6 dB under the threshold of −82: nobody waits for them.
    They raise the noise by 7 dB while they send, 30 % of the time in all, so a client at 29 dB loses over a quarter
    (74 % left when simulated slot by slot). The one at −48 dBm is heard always and takes its 50 %.
    """
    found = expected(among(*[(1, -88, 0.05)] * 6, (11, -48, 0.5)))
    assert found.clear_air[0] == pytest.approx(0.70, abs=0.03)
    assert found.clear_air[2] == pytest.approx(0.5, abs=0.005)
    assert np.argmax(found.expected_mbps) != 2
    assert found.expected_mbps[0] > 1.3 * found.expected_mbps[2]


def test_b_the_empty_channel_between_two_busy_ones_is_the_worst():
    """Busy radios on 1 and 6 at −50 dBm, 30 % each. On 1 or 6 one gives way: 30 % is lost, and some more to the other
    25 MHz away, whose −93 dBm raise the noise by 3 dB. On 3 both overlap and are loud enough to be waited for:
    0.7² = 49 % are left, less what is not waited for in time.
    """
    found = expected(among((1, -50, 0.3), (6, -50, 0.3)), *(narrow("2.4", n) for n in (1, 3, 6)))
    assert found.clear_air[0] == pytest.approx(0.64, abs=0.04)
    assert found.clear_air[2] == pytest.approx(0.64, abs=0.04)
    assert found.clear_air[1] == pytest.approx(0.48, abs=0.03)


def test_c_four_names_of_one_radio_count_once():
    """A radio that sends 40 % with four names leaves 60 %. Counted four times it would leave 0.6⁴ = 13 %, held up to
    the fair share of 1/5 = 20 %.
    """
    names = tuple(network(f"02:7a:10:09:20:0{k}", f"net {k}") for k in range(4))
    mine = radio(1, 6, own=True, level=-40.0)
    other = radio(9, 6, level=-50.0, activity=0.4, networks=names)
    (view,) = facts(mine, other).own
    assert view.now.clear_air == pytest.approx(0.6, abs=0.005)
    assert view.now.co_channel_radios == 1
    four = [replace(radio(20 + k, 6, level=-50.0, activity=0.4), id=f"02:7a:10:a{k}:20:00") for k in range(4)]
    (wrong,) = facts(mine, *four).own
    assert wrong.now.clear_air == pytest.approx(0.2, abs=0.01)


def test_d_eighty_megahertz_whose_upper_half_is_busy_are_worth_less_than_forty():
    """36/80, and a busy 44/40 at −55 dBm that sends 90 % of the time, a client at −65 dBm.

    The upper half is free for 10 %: on average 0.9 × 40 + 0.1 × 80 = 44 of 80 MHz. Set to 80 MHz the radio takes the
    neighbour in unfiltered: −30 dB of it, −85 dBm, lie in the lower half, 7 dB over its noise of −91. Set to 40 MHz its
    filter takes 34 dB off.
    """
    channels = wide("5", 36, 80)[0], wide("5", 36, 40)[0]
    found = expected(among((wide("5", 44, 40)[0], -55, 0.9)), *channels)
    assert found.width_share[0] == pytest.approx(0.55, abs=0.01)
    assert found.adjacent_lost[0] > found.adjacent_lost[1] + 0.05
    assert found.expected_mbps[1] > found.expected_mbps[0]
    free, far = expected(among(), *channels), expected(among((wide("5", 44, 40)[0], -70, 0.2)), *channels)
    for roomy in (free, far):  # where there is room the wide one is better
        assert roomy.expected_mbps[0] > 1.3 * roomy.expected_mbps[1]


def test_e_an_oven_at_lunch_leaves_channel_1_and_nothing_at_night():
    """Over 9 to 13 for 40 % of lunch at −50 dBm: above −62, so we wait: about 40 % of 11 is lost, nothing of 1.

    At night (duty 0) the two are the same.
    """
    touched = tuple(("2.4", n) for n in range(9, 14))
    for duty, lost in ((0.4, 0.4), (0.0, 0.0)):
        oven = emitter(duty=duty, channels=tuple((b, n, duty) for b, n in touched))
        emission = Emission(oven, -50.0, dict.fromkeys(touched, duty), 8e-3)
        found = expected(among(emissions=(emission,)))
        assert found.clear_air[0] == pytest.approx(1.0, abs=0.001)
        assert found.clear_air[2] == pytest.approx(1 - lost, abs=0.05)


def test_f_of_a_band_that_was_not_observed_nothing_is_claimed():
    """No sightings, no sweeps: no figure, no finding about a channel, and the gap is told."""
    nothing = Observations(0.0, 60.0, (), Sightings.empty(), Traffic.empty(), Listening.empty(), (), ())
    found = assess(nothing, Setup(country="GB", own=("tern-guest",)))
    assert all(p.assessed is None and p.utilisation.value is None for p in found.channels)
    assert found.findings == ()
    assert found.not_known


def test_a_figure_opened_gives_the_figure():
    """Clear air is the product of the shares that its explanation lists; expected throughput that of its factors."""
    mine = radio(1, 36, own=True, band="5", width=80, level=-40.0)
    others = (
        radio(8, 36, band="5", level=-55.0, activity=0.3),
        radio(9, 48, band="5", level=-60.0, activity=0.5),
    )
    made = facts(mine, *others)
    (view,) = made.own
    now = view.now
    left = (1 - now.co_channel_lost) * (1 - now.adjacent_lost) * (1 - now.non_wifi_lost)
    assert left * now.width_share == pytest.approx(now.clear_air, abs=0.001)
    assert left * now.efficiency * now.rate_mbps == pytest.approx(now.expected_mbps, rel=0.005)
    clear, expected_, *losses = of_assessment(now, view)
    assert clear.value == f"{100 * now.clear_air:.1f} %"
    assert expected_.value == f"{now.expected_mbps:.1f} Mb/s"
    assert {h.title for h in losses} == {f"lost to {h.name} on {h.channel.label}" for h in now.losses}
    assert all(e.how and e.source for e in of_radio(mine, 10.0))
    here = next(s for s in assess_all_channels(view, assess_of(made)) if s.channel == mine.channel)
    assert here == now


def assess_of(made):
    """An assessment of radios that were made by hand, as far as the field of channels asks for it."""
    nothing = Observations(0.0, 60.0, (), Sightings.empty(), Traffic.empty(), Listening.empty(), (), ())
    return replace(assess(nothing, Setup(country="GB")), radios=made.radios, own=made.own)


def test_a_channel_that_was_not_measured_says_so_when_opened():
    nothing = Observations(0.0, 60.0, (), Sightings.empty(), Traffic.empty(), Listening.empty(), (), ())
    place = assess(nothing, Setup(country="GB")).channels[0]
    (told,) = of_channel(place)
    assert told.value == "not measured"
    assert of_own(facts(radio(1, 6, own=True)).own[0], assess_of(facts()))


def test_what_a_move_does_to_our_other_radios_is_reported():
    """Ours on 3 overlaps ours on 6; on 1 it does not: the other gains what the first took."""
    first, second = radio(1, 3, own=True, level=-60.0, activity=0.3), radio(2, 6, own=True, level=-60.0)
    made = facts(first, second)
    (moved, now, then) = effect_on_own(narrow("2.4", 1), made.own[0], assess_of(made))[0]
    assert moved.id == second.id
    assert now == made.own[1].now.clear_air < 0.6
    assert then > 0.95
    ((_, same, still),) = effect_on_own(first.channel, made.own[0], assess_of(made))
    assert same == still


def test_the_worked_example_of_the_documents_is_what_the_model_gives():
    text = (Path(__file__).parent.parent / "docs" / "scoring.md").read_text()
    victim = VictimRadio("ax", 2, -64.0)
    found = score_channels(victim, Candidates([narrow("2.4", 6)]), among((6, -50, 0.4)))
    clear, share, rate, mbps = (
        float(values[0])
        for values in (found.clear_air, found.efficiency, found.rate_mbps, found.expected_mbps)
    )
    assert f"| nothing overlaps | clear air {100 * clear:.0f} % |" in text
    assert f"| payload share with 1 + {found.contenders[0]:.2f} contenders | {100 * share:.0f} % |" in text
    assert f"2 streams / 13.6 µs | {rate:.0f} Mb/s |" in text
    assert f"| {clear:.2f} × {share:.2f} × {rate:.0f} | {mbps:.0f} Mb/s |" in text
