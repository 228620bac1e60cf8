"""The views of the numbered places, by name. Imported behind the first picture."""

from gray_kettle.screens.air.place import AirPlace
from gray_kettle.screens.brief.place import BriefPlace
from gray_kettle.screens.frame.place import Place
from gray_kettle.screens.heard.place import HeardPlace
from gray_kettle.screens.plan.place import PlanPlace
from gray_kettle.screens.sweep.place import SweepPlace

VIEWS: dict[str, type[Place]] = {
    "brief": BriefPlace,
    "heard": HeardPlace,
    "air": AirPlace,
    "sweep": SweepPlace,
    "plan": PlanPlace,
}
