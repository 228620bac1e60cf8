"""Searches for emitters in rows of single moments or few, by sign: their finds are candidates that are then weighed."""
