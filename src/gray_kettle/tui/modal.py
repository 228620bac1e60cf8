"""Screens over others that can be left once only, however fast keys come."""

from typing import TypeVar

from textual.await_complete import AwaitComplete
from textual.screen import ModalScreen

Answer = TypeVar("Answer")


class Modal(ModalScreen[Answer]):
    """A modal screen; a second key that would leave it does not leave the one below."""

    def dismiss(self, result: Answer | None = None) -> AwaitComplete:
        return super().dismiss(result) if self.app.screen is self else AwaitComplete.nothing()  # type: ignore[no-untyped-call]
