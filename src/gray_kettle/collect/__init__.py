"""Where records come from. A source has a name, a kind and a size, and gives pieces one after the other."""
