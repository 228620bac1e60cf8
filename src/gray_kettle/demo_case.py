"""Where the demo case is kept between uses, and its days. Apart from what makes it, so that opening it is quick."""

from datetime import UTC, datetime
from pathlib import Path

from gray_kettle import __version__

_REVISION = 2  # of what is in it, within a version
# The two days before anything was changed: what the app shows first.
BEFORE_S = (
    datetime(2026, 11, 12, tzinfo=UTC).timestamp(),
    datetime(2026, 11, 14, tzinfo=UTC).timestamp(),
)
WELCOME = (
    "The two days before the change are shown.  )  goes to the days after it,  6  says whether it helped."
)


def demo_path() -> Path:
    """The demo case of this version, in the person's cache folder."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("gray-kettle")) / f"tern-quay-{__version__}-{_REVISION}.kettle"
