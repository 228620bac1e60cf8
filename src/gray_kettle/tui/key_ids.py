"""The ids of all key bindings of the app, for the configuration."""

from collections.abc import Iterator

from textual.binding import Binding


def binding_ids() -> list[tuple[str, str]]:
    """(id, default keys) of every binding that can be set to other keys, in order of id."""
    from gray_kettle.tui.app import KettleApp
    from gray_kettle.tui.explain import ExplainScreen
    from gray_kettle.tui.frame.row_list import RowList
    from gray_kettle.tui.help import HelpScreen
    from gray_kettle.tui.main_screen import MainScreen
    from gray_kettle.tui.plan.view import MoveList
    from gray_kettle.tui.start.screen import StartScreen
    from gray_kettle.tui.sweep.picture import SweepPicture
    from gray_kettle.tui.views import VIEW_CLASSES

    owners: tuple[type, ...] = (
        KettleApp,
        StartScreen,
        MainScreen,
        *VIEW_CLASSES.values(),
        RowList,
        MoveList,
        SweepPicture,
        ExplainScreen,
        HelpScreen,
    )
    found = {b.id: b.key for owner in owners for b in _bindings(owner) if b.id}
    return sorted(found.items())


def _bindings(owner: type) -> Iterator[Binding]:
    for binding in owner.__dict__.get("BINDINGS", ()):
        if isinstance(binding, Binding):
            yield binding
