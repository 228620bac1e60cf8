"""Whether a file is a case of ours, recognised by its first hundred bytes and without a database.

Source: the SQLite file format, section 1.3 (the database header): user version at 60, application id at 68.
"""

from pathlib import Path

from gray_kettle.errors import KettleError

VERSION = 11
APPLICATION_ID = 0x47524B54  # marks our SQLite files ("GRKT")


def is_case(path: Path) -> bool:
    """Whether an existing file is a case of any version. What cannot be read is taken for one."""
    try:
        with path.open("rb") as file:
            head = file.read(100)
    except OSError:
        return True
    return head[:15] == b"SQLite format 3" and int.from_bytes(head[68:72]) == APPLICATION_ID


def check(path: Path) -> int:
    """The version of a case.

    Raises: KettleError, when the file is not there, is no case, or is from a newer version.
    """
    if not path.is_file():
        raise KettleError(f"{path} does not exist: create it with `gray-kettle new {path}`.")
    try:
        with path.open("rb") as file:
            head = file.read(100)
    except OSError as error:
        raise KettleError(f"{path} cannot be read: {error.strerror}.") from error
    if head[:15] != b"SQLite format 3" or int.from_bytes(head[68:72]) != APPLICATION_ID:
        raise KettleError(f"{path} is not a Gray Kettle case; to read it into one, use `gray-kettle take`.")
    version = int.from_bytes(head[60:64])
    if version > VERSION:
        raise KettleError(
            f"{path} was written by a newer version of Gray Kettle (format {version}, this one reads up to "
            f"{VERSION}): update Gray Kettle to open it."
        )
    return version
