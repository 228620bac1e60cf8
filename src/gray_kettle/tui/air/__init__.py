"""The band as lanes, and what is left of each channel."""
