"""Sweeps as numbers: how rows are kept, summed up over time, and what they say of noise, power and duty.

Pure functions over arrays: no file, no database, no screen. Source: docs/radio-model.md, "Sweeps".
"""
