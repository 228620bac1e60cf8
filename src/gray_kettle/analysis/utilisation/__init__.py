"""How busy channels and radios are, by source and by hour."""
