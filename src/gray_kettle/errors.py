"""Errors that are shown to the user. Anything else is a bug and stays loud."""


class KettleError(Exception):
    """An expected failure. Its text is a whole sentence: what happened, where, and what to do about it."""


class InvalidInput(KettleError):
    """Something that the user typed cannot be understood. The text says what was wrong and shows a valid form."""
