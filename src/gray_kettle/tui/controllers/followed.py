"""The radios that are followed: kept with the case, and shown by all views."""

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from gray_kettle.errors import KettleError

if TYPE_CHECKING:
    from textual.screen import Screen

    from gray_kettle.model.setup import Setup


class Followed:
    """ids: of the radios; is_alone: all others recede, our own too."""

    def __init__(self, screen: "Screen[None]", path: Path) -> None:
        self._screen, self._path = screen, path
        self.ids: frozenset[str] | None = None  # None until the case was read
        self.is_alone = False

    def state(self, setup: "Setup | None" = None) -> dict[str, object]:
        """What the state of the views has of it. setup: where what is kept is read from at first."""
        if self.ids is None and setup is not None:
            self.ids = frozenset(setup.followed)
        return {"followed": self.ids or frozenset(), "is_alone": self.is_alone}

    def toggled(self, radio_id: str) -> dict[str, object]:
        """Follow a radio, or no longer; the case keeps it."""
        self.ids = (self.ids or frozenset()) ^ {radio_id}
        ids = self.ids
        self._screen.run_worker(lambda: self._save(ids), thread=True, group="followed", description="keep")
        return self.state()

    def alone(self) -> dict[str, object]:
        """Let our own radios recede too, or no longer."""
        self.is_alone = not self.is_alone
        if not self.ids:
            self._screen.notify("f in Heard follows a radio: F then lets all others recede.", timeout=5)
        return self.state()

    def _save(self, ids: frozenset[str]) -> None:
        from gray_kettle.store import Case

        try:
            with Case.open(self._path) as case:
                case.edit_setup(lambda setup: replace(setup, followed=tuple(sorted(ids))))
        except KettleError as error:
            text = f"What is followed could not be kept: {error}"
            self._screen.app.call_from_thread(self._screen.notify, text, severity="warning", markup=False)
