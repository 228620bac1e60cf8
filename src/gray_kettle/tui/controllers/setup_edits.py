"""Changes to the setup of the case: forms, undo, and saving in a worker."""

import logging
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from textual.screen import Screen

from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.tui.messages import AnnotateEmitter, EditPreferences, MarkDone, SetupChanged
from gray_kettle.tui.unfinished import STORING
from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Radio
    from gray_kettle.model.setup import EmitterNote, Setup

_LOGGER = logging.getLogger(__name__)


class SetupEdits:
    """Every change can be undone. The screen hears of a change at once; the case file follows."""

    def __init__(self, screen: "Screen[None]", path: Path, state: Callable[[], ViewState | None]) -> None:
        """state: gives the view state of the screen, None while nothing was read."""
        self._screen, self._path, self._state = screen, path, state
        self._earlier: list[Setup] = []
        self._newest: Setup | None = None  # changed already, though its answer may not be shown yet
        self._to_save: Setup | None = None
        self._base: Setup | None = None  # what the case holds, as far as we know
        self._saving = threading.Lock()

    @property
    def setup(self) -> "Setup | None":
        if self._newest is not None:
            return self._newest
        state = self._state()
        return state.setup if state else None

    @property
    def unsaved(self) -> "Setup | None":
        """The newest setup while the case may not hold it yet."""
        return self._newest

    def reset(self) -> None:
        """The case was read anew: what it holds counts again."""
        self._newest = None
        if self._to_save is None:
            self._base = None

    def change(self, edit: "Callable[[Setup], Setup]") -> None:
        before = self.setup
        if before is None:
            return
        try:
            after = edit(before)
        except InvalidInput as error:
            self._screen.notify(str(error), title="Not changed", severity="error", markup=False)
            return
        if after != before:
            if self._base is None:
                self._base = before
            self._earlier.append(before)
            self._apply(after)

    def undo(self) -> None:
        if self._earlier:
            self._apply(self._earlier.pop())
            self._screen.notify("Undone.", timeout=2)

    def _apply(self, setup: "Setup") -> None:
        self._newest = self._to_save = setup
        self._screen.post_message(SetupChanged(setup))
        self._screen.run_worker(self._save, thread=True, group="setup", description="save the setup")

    def _save(self) -> None:
        """Save the newest setup; of several changes in a row the last one counts, whichever thread comes last.

        What others saved meanwhile stays, and shows.
        """
        from gray_kettle.store import Case

        with self._saving:
            setup = self._to_save
            if setup is None:
                return
            try:
                with STORING, Case.open(self._path) as case:
                    saved = case.save_setup(setup, self._base)
            except KettleError as error:
                _LOGGER.warning("setup not saved: %s", error)
                self._screen.notify(str(error), title="Not saved", severity="error", markup=False)
                return
            self._base = saved
            if self._to_save is setup:
                self._to_save = None
                if saved != setup:
                    self._newest = saved
                    self._screen.post_message(SetupChanged(saved))

    # Marks

    def ask_mark(self) -> None:
        """A word for this moment: of the key, not of the end of the typing."""
        from gray_kettle.setup_editor import with_mark
        from gray_kettle.tui.start.word_form import WordForm

        moment_s = round(time.time(), 1)

        def save(word: str | None) -> None:
            if word:
                self.change(lambda setup: with_mark(setup, moment_s, word))

        self._screen.app.push_screen(WordForm("Mark this moment", "In a word or two", "boat in"), save)

    # Radios

    def toggle_own(self, radio: "Radio") -> None:
        from gray_kettle.setup_editor import with_ownership

        addresses = [n.bssid for n in radio.networks]
        self.change(lambda setup: with_ownership(setup, addresses, not radio.own))

    def ask_name(self, radio: "Radio", client: tuple[str, str] | None = None) -> None:
        """Of a radio, or of one of its clients: (address, present name)."""
        from gray_kettle.setup_editor import with_radio_name
        from gray_kettle.tui.start.forms import NameForm

        addresses = [client[0]] if client else [n.bssid for n in radio.networks]
        where = f"{radio.channel.label}, {radio.band} GHz"
        title = f"Name of client {client[0]}" if client else f"Name of {radio.id} ({where})"

        def rename(name: str | None) -> None:
            if name is not None:
                self.change(lambda setup: with_radio_name(setup, addresses, name))

        self._screen.app.push_screen(NameForm(title, client[1] if client else radio.name), rename)

    def join(self, radios: "tuple[Radio, Radio]") -> None:
        """All BSSIDs of two radios are one radio from now on."""
        from gray_kettle.setup_editor import with_joined

        addresses = [n.bssid for radio in radios for n in radio.networks]
        self.change(lambda setup: with_joined(setup, addresses))

    def separate(self, bssids: tuple[str, ...]) -> None:
        """Each of these BSSIDs is a radio of its own from now on."""
        from gray_kettle.setup_editor import with_separate

        self.change(lambda setup: with_separate(setup, bssids))

    # Emitters

    def annotate(self, asked: AnnotateEmitter) -> None:
        from dataclasses import replace

        from gray_kettle.analysis.emitters.tracking import note_of
        from gray_kettle.setup_editor import with_emitter_note
        from gray_kettle.tui.sweep.forms import EmitterNameForm, KindForm

        emitter = asked.emitter
        note = note_of(emitter)

        def keep(changed: "EmitterNote") -> None:
            self.change(lambda setup: with_emitter_note(setup, changed))

        def named(name: str | None) -> None:
            if name is not None:
                keep(replace(note, name=name))

        def corrected(kind: str | None) -> None:
            if kind is not None:
                keep(replace(note, kind="" if kind == emitter.found_kind else kind))

        if asked.what == "dismiss":
            keep(replace(note, is_dismissed=not emitter.is_dismissed))
        elif asked.what == "name":
            self._screen.app.push_screen(EmitterNameForm(emitter), named)
        else:
            self._screen.app.push_screen(KindForm(emitter), corrected)

    # Plan

    def edit_preferences(self, asked: EditPreferences) -> None:
        from gray_kettle.setup_editor import with_lock_toggled
        from gray_kettle.tui.plan.forms import PreferencesForm

        radio, setup = asked.radio, self.setup
        if setup is None:
            return
        if asked.what == "lock":
            self.change(lambda setup: with_lock_toggled(setup, radio.id))
        else:
            self._screen.app.push_screen(PreferencesForm(radio, setup), self._replace)

    def mark_done(self, asked: MarkDone) -> None:
        """Ask when a step was carried out; the timeline shows it."""
        from gray_kettle.model.plan_preferences import CompletedStep
        from gray_kettle.setup_editor import with_completed, without_completed
        from gray_kettle.tui.plan.forms import DoneForm

        state, radio = self._state(), asked.radio
        if state is None:
            return

        def entered(time_s: float | None) -> None:
            if time_s is None:
                return
            if time_s < 0:
                self.change(lambda setup: without_completed(setup, radio.id))
            else:
                step = CompletedStep(time_s, radio.id, asked.text, asked.promised)
                self.change(lambda setup: with_completed(setup, step))

        title = f"{radio.name} {radio.band} GHz {asked.text}"
        self._screen.app.push_screen(DoneForm(title, state.setup.site_time, state.case_end_s), entered)

    # Site

    def toggle_reference(self) -> None:
        """Make the window the reference; once more, and there is none."""
        from gray_kettle.setup_editor import with_reference

        state, setup = self._state(), self.setup
        if state is None or setup is None:
            return
        window = (state.start_s, state.end_s)
        is_it = setup.reference == window
        self.change(lambda setup: with_reference(setup, None if is_it else window))
        self._screen.notify(
            "No reference window." if is_it else "This window is the reference now.", timeout=3
        )

    def ask_thresholds(self) -> None:
        from dataclasses import replace

        from gray_kettle.tui.start.threshold_form import ThresholdForm

        def chosen(answer: tuple[tuple[str, float], ...] | None) -> None:
            if answer is not None:
                self.change(lambda setup: replace(setup, thresholds=answer))

        if self.setup is not None:
            self._screen.app.push_screen(ThresholdForm(self.setup.thresholds), chosen)

    def ask_own(self) -> None:
        from gray_kettle.setup_editor import with_own
        from gray_kettle.tui.start.forms import OwnForm

        def chosen(own: tuple[str, ...] | None) -> None:
            if own is not None:
                self.change(lambda setup: with_own(setup, own))

        state, setup = self._state(), self.setup
        if state is not None and setup is not None:
            self._screen.app.push_screen(OwnForm(state.assessment.radios, setup.own), chosen)

    def ask_site(self) -> None:
        from gray_kettle.tui.start.forms import CaseForm

        def chosen(answer: "tuple[Path, Setup] | None") -> None:
            self._replace(answer[1] if answer else None)

        if self.setup is not None:
            self._screen.app.push_screen(CaseForm(self.setup, self._path), chosen)

    def _replace(self, answer: "Setup | None") -> None:
        if answer is not None:
            self.change(lambda _: answer)
