"""The public baseline for the first picture: the smallest Textual app with a title and a table."""

from textual.app import App, ComposeResult
from textual.widgets import DataTable, Footer, Header


class Smallest(App[None]):
    def compose(self) -> ComposeResult:
        yield Header()
        yield DataTable()
        yield Footer()

    def on_mount(self) -> None:
        table = self.query_one(DataTable)
        table.add_columns("name", "level", "channel")
        table.add_rows((f"radio {k}", f"-{40 + k % 50}", str(k % 13 + 1)) for k in range(200))


if __name__ == "__main__":
    Smallest().run()
