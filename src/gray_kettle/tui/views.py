"""The views of the numbered places, by name. Imported behind the first picture."""

from gray_kettle.tui.air.view import AirPlace
from gray_kettle.tui.brief.view import BriefPlace
from gray_kettle.tui.frame.view import Place
from gray_kettle.tui.heard.view import HeardPlace
from gray_kettle.tui.plan.view import PlanPlace
from gray_kettle.tui.sweep.view import SweepPlace

VIEWS: dict[str, type[Place]] = {
    "brief": BriefPlace,
    "heard": HeardPlace,
    "air": AirPlace,
    "sweep": SweepPlace,
    "plan": PlanPlace,
}
