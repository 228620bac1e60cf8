"""Names of topics below the one that a site's probes share, and names of probes."""

import re

from gray_kettle.errors import InvalidInput
from gray_kettle.safe_text import printable

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,39}")


def pieces_topic(site: str, probe: str) -> str:
    """Where a probe sends what it heard; "+" for all of them."""
    return f"{site}/{probe}/heard"


def stored_topic(site: str, probe: str) -> str:
    """Where a case tells a probe what it stored."""
    return f"{site}/{probe}/stored"


def ready_topic(site: str) -> str:
    """Where a case says that it listens now."""
    return f"{site}/listening"


def probe_of(site: str, topic: str) -> str | None:
    """The probe whose pieces come by a topic; None for any other topic."""
    parts = topic.removeprefix(site + "/").split("/")
    is_ours = len(parts) == 2 and parts[1] == "heard" and _NAME.fullmatch(parts[0])
    return parts[0] if is_ours else None


def checked_name(name: str) -> str:
    """A name that may be part of a topic. Raises: InvalidInput."""
    if not _NAME.fullmatch(name):
        raise InvalidInput(
            f"“{printable(name)}” is no name of a probe: letters, digits, dots and dashes, at most 40."
        )
    return name
