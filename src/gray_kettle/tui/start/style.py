"""Styles of forms, and the keys that all of them share."""

from textual.binding import Binding
from textual.dom import DOMNode
from textual.widgets import Static

# Before the field gets them: else keys that come fast behind a tab still land in the field before it.
FORM_KEYS = (
    Binding("tab", "app.focus_next", show=False, priority=True, id="form.next"),
    Binding("shift+tab", "app.focus_previous", show=False, priority=True, id="form.previous"),
)
FORM_CSS = """
.form { width: 92; max-width: 96%; height: auto; max-height: 94%; padding: 1 2; overflow-y: auto; }
.form { background: $surface; border: round $rule; }
.form Label { color: $dim; margin-top: 1; width: 100%; }
.form .form-title { color: $steam; text-style: bold; }
.form .form-error { color: $act; height: auto; }
.form Input { border: none; height: 1; padding: 0 1; background: $panel; }
.form Input:focus { background: $chosen; }
.form .form-buttons { height: 3; margin-top: 1; }
.form Button { margin-right: 2; }
"""


def start_at_top(form: DOMNode) -> None:
    """Show the title and the first label, where the form is higher than the terminal."""
    form.call_after_refresh(form.query_one(".form").scroll_home, animate=False)


def show_error(form: DOMNode, text: str) -> None:
    """In the form itself, scrolled into view where the form is higher than the terminal."""
    line = form.query_one(".form-error", Static)
    line.update(text)
    line.call_after_refresh(line.scroll_visible, animate=False)
