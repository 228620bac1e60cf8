"""A slot-level simulator of channel access, written apart from the radio model that it checks.

It shares no constant and no formula with the product: sensitivities, leakage between channels, fading, capture,
aggregates and rate control are its own. What it leaves out is listed in docs/truth.md.
"""
