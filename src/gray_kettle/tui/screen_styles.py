"""Style of the screens that open over a view by one key.

It is part of the app's own: a screen that brings its style makes Textual read that of all screens anew when it opens
first, which takes longer than all else that it does.
"""

SCREENS_CSS = """
CardScreen { align: center middle; }
CardScreen .form { width: 156; max-width: 100%; height: 100%; max-height: 100%; padding: 0 1; }
CardScreen #card-trail { height: 1; color: $dim; }
CardScreen #card-hint { height: 1; color: $faint; }
CardScreen RowList { height: 1fr; background: $surface; }
FramesScreen { align: center middle; }
FramesScreen .form { width: 156; max-width: 100%; height: 100%; max-height: 100%; padding: 0 1; }
FramesScreen #frames-title { height: 1; color: $dim; }
FramesScreen #frames { height: 1fr; max-height: 10; background: $surface; }
FramesScreen #frame { height: 3fr; background: $surface; border-top: solid $rule; }
ChannelMapScreen { align: center middle; }
ChannelMapScreen .form { width: 152; max-width: 100%; height: 100%; max-height: 100%; padding: 0 1; }
ChannelMapScreen RowList { height: 1fr; background: $surface; }
ChannelMapScreen #map-head, ChannelMapScreen #map-legend { height: 1; color: $dim; }
ChannelMapScreen #map-columns { height: 1; color: $faint; }
"""
