"""Sweep: presence and waterfall on one frequency axis, tied to the places of channels and the radios on them."""
