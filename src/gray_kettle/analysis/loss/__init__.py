"""Interference loss by cause, clear air and expected throughput of every candidate channel."""
