"""Sweeps from files: tables of levels, records of Wi-Fi cards, I/Q recordings."""
