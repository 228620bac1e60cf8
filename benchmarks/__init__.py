"""Measurements: how long a person waits. `make bench` runs them; docs/performance.md quotes them."""
