"""What the technician tells, kept with the case: own networks, names, kinds, groups, thresholds, the reference."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from textual import on

from gray_kettle.errors import KettleError
from gray_kettle.tui.capture_control import CaptureControl
from gray_kettle.tui.messages import (
    AnnotateEmitter,
    EditPreferences,
    GiveName,
    JoinRadios,
    MarkDone,
    MarkOwn,
    PartBssids,
)
from gray_kettle.tui.view_state import ViewState

if TYPE_CHECKING:
    from gray_kettle.model.setup import EmitterNote, Setup


class Editing(CaptureControl):
    """A screen that changes the setup of its case; each change can be undone, and everything is judged again."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._earlier: list[Setup] = []
        self._look: ViewState | None = None

    def judge_again(self) -> None:
        """Read and judge again."""
        raise NotImplementedError

    def _save(self, change: "Callable[[Setup], Setup]") -> None:
        """Change the setup, keep the earlier one for undo, judge again."""
        if self._look is None:
            return
        before = self._look.setup
        after = change(before)
        if after != before:
            self._earlier.append(before)
            self._store(after)

    def _store(self, setup: "Setup") -> None:
        from gray_kettle.store import Case

        try:
            with Case.open(self._path) as case:
                case.save_setup(setup)
        except KettleError as error:
            self.notify(str(error), title="Not saved", severity="error", markup=False)
        self.judge_again()

    def action_undo(self) -> None:
        if self._earlier:
            self._store(self._earlier.pop())
            self.notify("Undone.", timeout=2)

    @on(MarkOwn)
    def _mark_own(self, mark: MarkOwn) -> None:
        addresses = {n.bssid for n in mark.radio.networks}

        def change(setup: "Setup") -> "Setup":
            own = [name for name in setup.own if name.lower() not in addresses]
            foreign = [address for address in setup.foreign if address not in addresses]
            if mark.radio.own:
                return replace(setup, own=tuple(own), foreign=(*foreign, *sorted(addresses)))
            return replace(setup, own=(*own, *sorted(addresses)), foreign=tuple(foreign))

        self._save(change)

    @on(GiveName)
    def _ask_name(self, asked: GiveName) -> None:
        def rename(name: str | None) -> None:
            if name is None:
                return
            addresses = {n.bssid for n in asked.radio.networks}

            def change(setup: "Setup") -> "Setup":
                kept = [(a, n) for a, n in setup.names if a not in addresses]
                new = [(a, name) for a in sorted(addresses)] if name else []
                return replace(setup, names=tuple(sorted([*kept, *new])))

            self._save(change)

        from gray_kettle.tui.start.forms import NameForm

        self.app.push_screen(NameForm(asked.radio), rename)

    @on(AnnotateEmitter)
    def _tell_emitter(self, asked: AnnotateEmitter) -> None:
        from gray_kettle.analysis.emitters.tracking import note_of
        from gray_kettle.tui.sweep.forms import EmitterNameForm, KindForm

        emitter = asked.emitter
        note = note_of(emitter)

        def keep(changed: "EmitterNote") -> None:
            self._save(lambda setup: replace(setup, emitters=(*setup.emitters, changed)))

        def named(name: str | None) -> None:
            if name is not None:
                keep(replace(note, name=name))

        def corrected(kind: str | None) -> None:
            if kind is not None:
                keep(replace(note, kind="" if kind == emitter.found_kind else kind))

        if asked.what == "dismiss":
            keep(replace(note, is_dismissed=not emitter.is_dismissed))
        elif asked.what == "name":
            self.app.push_screen(EmitterNameForm(emitter), named)
        else:
            self.app.push_screen(KindForm(emitter), corrected)

    @on(JoinRadios)
    def _join(self, asked: JoinRadios) -> None:
        """All BSSIDs of two radios are one radio from now on."""
        from gray_kettle.analysis.inventory.radio_grouping import joined

        names = {n.bssid for radio in asked.radios for n in radio.networks}
        self._save(lambda setup: joined(setup, names))

    @on(PartBssids)
    def _part(self, asked: PartBssids) -> None:
        """These BSSIDs are radios of their own from now on."""
        from gray_kettle.analysis.inventory.radio_grouping import parted

        self._save(lambda setup: parted(setup, set(asked.bssids)))

    @on(EditPreferences)
    def _edit_preferences(self, asked: EditPreferences) -> None:
        """Lock a radio where it is, or no longer; or ask what else the plan keeps to."""
        radio = asked.radio
        if asked.what == "lock":

            def lock(setup: "Setup") -> "Setup":
                locked = set(setup.preferences.locked) ^ {radio.id}
                return replace(setup, preferences=replace(setup.preferences, locked=tuple(sorted(locked))))

            self._save(lock)
            return

        def chosen(answer: "Setup | None") -> None:
            if answer is not None:
                self._save(lambda _: answer)

        from gray_kettle.tui.plan.forms import PreferencesForm

        if self._look is not None:
            self.app.push_screen(PreferencesForm(radio, self._look.setup), chosen)

    @on(MarkDone)
    def _mark_done(self, asked: MarkDone) -> None:
        """Keep when a step was carried out; the rail shows it."""
        from gray_kettle.model.plan_preferences import CompletedStep
        from gray_kettle.tui.plan.forms import DoneForm

        if self._look is None:
            return
        radio = asked.radio

        def told(time_s: float | None) -> None:
            if time_s is None:
                return

            def change(setup: "Setup") -> "Setup":
                rest = tuple(d for d in setup.done if d.radio != radio.id)
                new = (CompletedStep(time_s, radio.id, asked.text),) if time_s >= 0 else ()
                return replace(setup, done=(*rest, *new))

            self._save(change)

        title = f"{radio.name} {radio.band} GHz {asked.text}"
        self.app.push_screen(DoneForm(title, self._look.setup.country, self._look.case_end_s), told)

    def action_reference(self) -> None:
        """The window becomes what others are compared with; once more, and there is none."""
        look = self._look
        if look is None:
            return
        window = (look.start_s, look.end_s)
        is_it = look.setup.reference == window
        self._save(lambda setup: replace(setup, reference=None if is_it else window))
        self.notify("No reference any more." if is_it else "This window is the reference now.", timeout=3)

    def action_thresholds(self) -> None:
        if self._look is None:
            return

        def chosen(answer: tuple[tuple[str, float], ...] | None) -> None:
            if answer is not None:
                self._save(lambda setup: replace(setup, thresholds=answer))

        from gray_kettle.tui.start.threshold_form import ThresholdForm

        self.app.push_screen(ThresholdForm(self._look.setup.thresholds), chosen)

    def action_own(self) -> None:
        if self._look is None:
            return
        radios = self._look.assessment.radios

        def chosen(own: tuple[str, ...] | None) -> None:
            if own is not None:
                self._save(lambda setup: replace(setup, own=own))

        from gray_kettle.tui.start.forms import OwnForm

        self.app.push_screen(OwnForm(radios, self._look.setup.own), chosen)

    def action_site(self) -> None:
        if self._look is None:
            return

        def chosen(answer: "tuple[Path, Setup] | None") -> None:
            if answer is not None:
                self._save(lambda _: answer[1])

        from gray_kettle.tui.start.forms import CaseForm

        self.app.push_screen(CaseForm(self._look.setup, self._path), chosen)
