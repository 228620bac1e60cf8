"""Emitters in rows that sum up many moments: candidates are measured, and weighed with what was learned from scenes."""
