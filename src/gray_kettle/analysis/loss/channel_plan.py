"""Channel plans of 2.4 GHz: channels that do not overlap each other.

Three where any radio uses DSSS (22 MHz wide), four where none does and channel 13 is permitted: OFDM fills 18 MHz, and
channels 20 MHz apart do not overlap. Source: docs/radio-model.md, "Choosing channels".
"""

from collections.abc import Iterable

from gray_kettle.analysis.assessment import Radio
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.countries import rules_by_number

THREE, FOUR = (1, 6, 11), (1, 5, 9, 13)
_OFDM_ONLY = (6.0, 9.0, 12.0, 18.0, 24.0, 36.0, 48.0, 54.0)


def channel_plans(radios: Iterable[Radio], country: str) -> tuple[tuple[int, ...], ...]:
    """The channel plans that a site may use, the usual one first."""
    if 13 not in rules_by_number(country, "2.4"):
        return (THREE,)
    low = [r for r in radios if r.band == "2.4"]
    return (THREE, FOUR) if low and not any(sends_dsss(r) for r in low) else (THREE,)


def plan_text(channel_plan: tuple[int, ...]) -> str:
    """A channel plan in words: “1, 6 and 11”."""
    return ", ".join(map(str, channel_plan[:-1])) + f" and {channel_plan[-1]}"


def sends_dsss(radio: Radio) -> bool:
    """Whether a radio uses DSSS: it is 802.11b, it has a DSSS basic rate, or its rates are not known."""
    rates = [rate for n in radio.networks for rate in n.basic_rates_mbps]
    return radio.generation == "b" or not rates or any(rate not in _OFDM_ONLY for rate in rates)


def fits_plan(channel: Channel, channel_plan: tuple[int, ...]) -> bool:
    """Whether a channel belongs to a channel plan; outside of 2.4 GHz every channel does."""
    return channel.band != "2.4" or channel.primary in channel_plan
