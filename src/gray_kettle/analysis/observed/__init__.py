"""Indexes over the observations of one window: rows by BSSID, coverage, traffic totals, survey counters."""
