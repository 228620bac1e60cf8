"""The views of the numbered places, by name. Imported behind the first picture."""

from gray_kettle.screens.air.view import AirView
from gray_kettle.screens.brief.view import BriefView
from gray_kettle.screens.frame.place import Place
from gray_kettle.screens.heard.view import HeardView
from gray_kettle.screens.plan.view import PlanView

VIEWS: dict[str, type[Place]] = {"brief": BriefView, "heard": HeardView, "air": AirView, "plan": PlanView}
