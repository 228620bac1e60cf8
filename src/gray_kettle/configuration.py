"""The user's configuration: a TOML file in the platform's folder. Read at every start, never written by the app."""

import os
import re
import tomllib
from dataclasses import dataclass, field, fields
from pathlib import Path

import platformdirs

from gray_kettle.errors import KettleError

APP = "gray-kettle"
PATH_VARIABLE = "GRAY_KETTLE_CONFIG"
THEMES = ("kettle", "kettle-light")
_TEXTS = {
    "country": 2, "time_zone": 64, "theme": 32, "technician": 120, "contact": 200, "logo": 1024, "language": 16,
    "log_level": 8,
}  # fmt: skip
_LANGUAGE = re.compile(r"[a-z]{2,3}([_-][A-Za-z]{2,4})?")
LOGOS = (".png", ".jpg", ".jpeg")

TEMPLATE = """\
# Configuration of Gray Kettle. Remove the "#" before a line to set it.

# country = "GB"                  # default country of new cases, two letters
# time_zone = "Europe/London"     # default time zone of new cases, where the country has several
# theme = "kettle-light"          # kettle or kettle-light
# technician = "A. Name"          # who did the work: on reports
# contact = "a.name@example.com"  # how to reach them: on reports
# logo = "~/logo.png"             # PNG or JPEG: on reports
# language = "de"                 # of reports, where there is a catalogue for it; English without
# log_level = "info"              # debug, info, warning or error
# bell = true                     # the terminal's bell at each alert while the app takes

[keys]
# "main.take" = "t"               # binding id = key; `gray-kettle config --keys` lists the ids
"""


@dataclass(frozen=True)
class Configuration:
    """What is set; "" where the default holds. keys: key by binding id."""

    country: str = ""
    time_zone: str = ""
    theme: str = ""
    technician: str = ""
    contact: str = ""
    logo: str = ""
    language: str = ""
    log_level: str = ""
    bell: bool = False
    keys: dict[str, str] = field(default_factory=dict)


def path() -> Path:
    """Where the configuration file is, or would be."""
    named = os.environ.get(PATH_VARIABLE)
    return Path(named) if named else platformdirs.user_config_path(APP) / "config.toml"


def load() -> Configuration:
    """The configuration; all defaults where there is no file. Raises: KettleError, when the file cannot be used."""
    file = path()
    try:
        text = file.read_text(encoding="utf-8")
    except FileNotFoundError:
        return Configuration()
    except (OSError, UnicodeDecodeError) as error:
        raise KettleError(f"The configuration {file} cannot be read: {error}.") from error
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise KettleError(
            f"The configuration {file} is not valid TOML: {error}. Correct or remove it."
        ) from error
    return _checked(document, file)


def _checked(document: dict[str, object], file: Path) -> Configuration:
    known = [f.name for f in fields(Configuration)]
    for name, value in document.items():
        if name not in known:
            raise KettleError(
                f"The configuration {file} sets “{name}”, which does not exist: {', '.join(known)} do."
            )
        if name in _TEXTS and not (isinstance(value, str) and len(value) <= _TEXTS[name]):
            raise KettleError(
                f"In the configuration {file}, {name} must be a text of at most {_TEXTS[name]} letters."
            )
    if not isinstance(document.get("bell", False), bool):
        raise KettleError(f"In the configuration {file}, bell must be true or false.")
    theme, keys = document.get("theme", ""), document.get("keys", {})
    if theme and theme not in THEMES:
        raise KettleError(f"In the configuration {file}, theme must be one of {', '.join(THEMES)}.")
    logo = document.get("logo", "")
    if logo and not (Path(str(logo)).suffix.lower() in LOGOS and Path(str(logo)).expanduser().is_file()):
        raise KettleError(f"In the configuration {file}, logo must name a PNG or JPEG file that exists.")
    language = str(document.get("language", ""))
    if language and not _LANGUAGE.fullmatch(language):
        raise KettleError(f'In the configuration {file}, language must be like "de" or "pt_BR".')
    if not isinstance(keys, dict) or not all(isinstance(key, str) for key in keys.values()):
        raise KettleError(f'In the configuration {file}, [keys] must hold lines like "main.take" = "t".')
    return Configuration(**document)  # type: ignore[arg-type]
