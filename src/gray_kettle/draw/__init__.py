"""Drawings as SVG and PDF. A drawing builds a Figure from a reading and gives it back; nothing here keeps state."""

from gray_kettle.draw.lanes import lanes_figure, save_lanes

__all__ = ["lanes_figure", "save_lanes"]
