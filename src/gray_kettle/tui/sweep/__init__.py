"""Sweep: presence and waterfall on one frequency axis, tied to channels and the radios on them."""
