"""Where the demo case is kept between uses. Apart from what makes it, so that opening it again is quick."""

from pathlib import Path

from gray_kettle import __version__


def demo_path() -> Path:
    """The demo case of this version, in the person's cache folder."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("gray-kettle")) / f"tern-quay-{__version__}.kettle"
