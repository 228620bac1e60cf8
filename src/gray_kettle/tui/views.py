"""The numbered views by name. Imported behind the first picture."""

from gray_kettle.tui.air.lanes_view import LanesView
from gray_kettle.tui.brief.view import BriefView
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.heard.view import HeardView
from gray_kettle.tui.plan.view import PlanView
from gray_kettle.tui.proof.view import ProofView
from gray_kettle.tui.sweep.view import SweepView

VIEW_CLASSES: dict[str, type[View]] = {
    "brief": BriefView,
    "heard": HeardView,
    "air": LanesView,
    "sweep": SweepView,
    "plan": PlanView,
    "proof": ProofView,
}
