"""The heatmap of channels × widths of one radio."""

from rich.segment import Segment
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.phy.channels import Channel
from gray_kettle.planner.proposal import HeatmapCell, Move
from gray_kettle.tui.theme import Cell, ThemedWidget, fit

_FRAME_LINES = 4  # the rule above, the heading, the numbers, and the signs below


class ChannelHeatmap(ThemedWidget, Widget):
    """Every channel and width of one radio: the stronger the colour, the more throughput is expected."""

    DEFAULT_CSS = "ChannelHeatmap { height: 9; }"
    move: reactive[Move | None] = reactive(None)
    hypothetical_plan: reactive[Channel | None] = reactive(None)

    def watch_move(self, move: Move | None) -> None:
        """As high as it has widths: what is left is for the reasons."""
        lines = _FRAME_LINES + len({c.channel.width_mhz for c in move.heatmap}) if move else _FRAME_LINES
        if self.styles.height is None or self.styles.height.value != lines:
            self.styles.height = lines

    def render_line(self, y: int) -> Strip:
        width, move = self.size.width, self.move
        if move is None:
            return self.cells([], width)
        if y == 0:
            name = f" {move.radio.name} {move.radio.band} GHz: expected Mb/s on every channel and width"
            return self.cells([(name, "steam!")], width)
        widths = sorted({c.channel.width_mhz for c in move.heatmap})
        primaries = sorted({c.channel.primary for c in move.heatmap})
        pitch = max(3, min(7, (width - 6) // max(len(primaries), 1)))
        if y == 1:
            cells: list[Cell] = [("  MHz ", "dim")]
            for number in primaries:
                cells.append((fit(str(number), pitch, True), "dim"))
            return self.cells(cells, width)
        if y - 2 < len(widths):
            return self._width_line(move, widths[y - 2], primaries, pitch)
        if y == len(widths) + 2:
            return self.cells(
                [
                    (" ◎ now   ● proposed   ◆ tried   ✗ not available   ", "dim"),
                    (self._barred(move, width - 52), "faint"),
                ],
                width,
            )
        return self.cells([], width)

    def _barred(self, move: Move, room: int) -> str:
        reasons = list(dict.fromkeys(c.barred for c in move.heatmap if c.barred))
        return fit("✗: " + "; ".join(reasons), room) if reasons and room > 8 else ""

    def _width_line(self, move: Move, width_mhz: int, primaries: list[int], pitch: int) -> Strip:
        best = max((c.expected_mbps or 0.0 for c in move.heatmap), default=1.0) or 1.0
        segments = [Segment(f"{width_mhz:>5} ", self.ink("dim"))]
        for number in primaries:
            cell = _best_of(move, width_mhz, number, self.hypothetical_plan)
            segments += [Segment(" ", self.ink("text")), self._cell(move, cell, best, pitch - 1)]
        return Strip(segments).adjust_cell_length(self.size.width, self.ink("text"))

    def _cell(self, move: Move, cell: HeatmapCell | None, best: float, pitch: int) -> Segment:
        if cell is None:
            return Segment(" " * pitch, self.ink("text"))
        marks = {move.source: "◎", move.target: "●"}
        mark = "◆" if cell.channel == self.hypothetical_plan else marks.get(cell.channel, "")
        if cell.expected_mbps is None:
            return Segment(fit(mark or "✗", pitch, True), self.ink("faint"))
        word = f"{cell.expected_mbps:.0f}"
        if pitch < len(mark + word):
            word = ""
        text = fit(mark + word, pitch, True)
        return Segment(text, self.wash("own", 0.08 + 0.72 * cell.expected_mbps / best))


def _best_of(
    move: Move, width_mhz: int, primary: int, hypothetical_plan: Channel | None
) -> HeatmapCell | None:
    """The cell of a width and primary; of two (above and below) the one that is marked, else the better."""
    found = [c for c in move.heatmap if c.channel.width_mhz == width_mhz and c.channel.primary == primary]
    if not found:
        return None
    marked = (hypothetical_plan, move.target, move.source)
    return max(
        found, key=lambda c: (c.channel in marked, c.channel == hypothetical_plan, c.expected_mbps or -1.0)
    )
