"""Drawings as SVG and PDF. A drawing builds a Figure from what it is given and gives it back; nothing keeps state."""

from gray_kettle.draw.lanes import lanes_figure
from gray_kettle.draw.paper import check_ending, save
from gray_kettle.draw.sweeps import sweep_figure, waterfall_figure

__all__ = ["check_ending", "lanes_figure", "save", "sweep_figure", "waterfall_figure"]
