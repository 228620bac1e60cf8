"""Radios, emitters and links of a window, without an assessment of the channels: what Heard needs."""

from gray_kettle.analysis.assessment import Inventory
from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.analysis.inventory.radios import find_radios
from gray_kettle.analysis.inventory.stations import links_by_station
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.analysis.observed.traffic_totals import traffic_totals
from gray_kettle.analysis.utilisation.activity import with_swept_activity
from gray_kettle.model.records import Observations
from gray_kettle.model.setup import Setup


def take_inventory(observations: Observations, setup: Setup) -> Inventory:
    """Radios, emitters and links of a window: all that needs no assessment of channels."""
    coverage = Coverage(observations)
    sent = traffic_totals(observations.traffic)
    radios = find_radios(observations, setup, coverage, sent)
    emitters = find_emitters(observations, setup, radios)
    return Inventory(
        radios=with_swept_activity(radios, emitters, observations),
        emitters=emitters,
        links=tuple(links_by_station(observations, dict(setup.names)).values()),
    )
