"""What the main screen does beside showing: loading, window, edits of the setup, capture, export. Composed, not inherited."""
