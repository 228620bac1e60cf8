"""Controllers that the main screen is composed of: loading, window, edits of the setup, capture, export."""
