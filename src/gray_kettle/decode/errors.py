"""What a decoder says when the input is not what it claims to be."""


class DecodeError(Exception):
    """What was wrong, and at which byte (or line) of the input."""

    def __init__(self, what: str, at: int) -> None:
        super().__init__(what, at)
        self.what = what
        self.at = at

    def __str__(self) -> str:
        return f"{self.what} at byte {self.at:,}"
