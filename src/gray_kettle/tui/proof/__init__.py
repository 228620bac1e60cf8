"""View 6: did it help."""
