"""Drawings as SVG and PDF. A drawing builds a Figure from what it is given and gives it back; nothing keeps state."""

from gray_kettle.export.drawings.change_sheet import sheet_pages
from gray_kettle.export.drawings.channel_heatmap import heatmap_figure
from gray_kettle.export.drawings.lanes import lanes_figure
from gray_kettle.export.drawings.levels import levels_figure
from gray_kettle.export.drawings.proof_chart import proof_figure
from gray_kettle.export.drawings.share_chart import share_chart_figure
from gray_kettle.export.drawings.style import check_ending, save, save_pages
from gray_kettle.export.drawings.sweeps import sweep_figure, waterfall_figure
from gray_kettle.export.drawings.usable_air import usable_air_figure

__all__ = [
    "check_ending",
    "heatmap_figure",
    "lanes_figure",
    "levels_figure",
    "proof_figure",
    "save",
    "save_pages",
    "share_chart_figure",
    "sheet_pages",
    "sweep_figure",
    "usable_air_figure",
    "waterfall_figure",
]
