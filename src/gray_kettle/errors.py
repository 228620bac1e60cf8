"""Errors that are shown to the user. Anything else is a bug and stays loud."""

from gray_kettle.safe_text import printable


class KettleError(Exception):
    """An expected failure. Its text is a whole sentence: what happened, where, and what to do about it.

    Words of files and of the command line that are in it are printable, wherever it is shown.
    """

    def __str__(self) -> str:
        return " ".join(printable(line) for line in super().__str__().splitlines())


class InvalidInput(KettleError):
    """Something that the user typed cannot be understood. The text says what was wrong and shows a valid form."""
