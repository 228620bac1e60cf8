"""What stands on every screen: title, places, time rail, key hints; and the list that is drawn by lines."""
