"""What every screen shows: title, views, timeline, key hints; and the list that is drawn by lines."""
