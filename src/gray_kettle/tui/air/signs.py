"""Signs of what speaks for or against a channel, the weightiest first: sign and ink."""

from gray_kettle.planner.channel_map import Mark

SIGNS = {
    Mark.BEST: ("◎", "own"),
    Mark.FORBIDDEN: ("×", "act"),
    Mark.OUR_RADIOS: ("r", "watch"),
    Mark.CLIENTS: ("c", "watch"),
    Mark.RADAR: ("D", "dim"),
    Mark.INDOOR: ("i", "dim"),
}
