"""The one error that is shown to people."""


class KettleError(Exception):
    """An expected failure. Its text is a whole sentence: what, where, and what to do about it."""
