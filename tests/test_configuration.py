"""Configuration, doctor, support file and log: what belongs to the installation and not to a case."""

import ast
import json
import logging
import zipfile
from pathlib import Path

import pytest

from gray_kettle import configuration, diagnostics_log
from gray_kettle.cli.main import main
from gray_kettle.diagnostics import checks
from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case
from gray_kettle.tui.key_ids import binding_ids
from tests.frames import busy_harbour, write_pcap

TUI = Path(configuration.__file__).parent / "tui"


@pytest.fixture
def written(tmp_path, monkeypatch):
    """Writes a configuration and makes it the one in use."""

    def write(text: str) -> Path:
        file = tmp_path / "config.toml"
        file.write_text(text)
        monkeypatch.setenv(configuration.PATH_VARIABLE, str(file))
        return file

    return write


@pytest.mark.parametrize(
    ("text", "complaint"),
    [
        ("country = [", "is not valid TOML"),
        ('kountry = "GB"', "sets “kountry”, which does not exist"),
        ("country = 7", "country must be a text"),
        ('country = "GBR"', "at most 2 letters"),
        ('theme = "neon"', "must be one of kettle, kettle-light"),
        ("keys = 3", "must hold lines like"),
        ("[keys]\n'main.take' = 3", "must hold lines like"),
    ],
)
def test_a_wrong_configuration_is_refused_with_its_file_and_key(written, text, complaint, capsys):
    file = written(text)
    with pytest.raises(KettleError, match=str(file)) as error:
        configuration.load()
    assert complaint in str(error.value)
    assert main(["config"]) == 1
    assert complaint in capsys.readouterr().err
    assert any(c.topic == "configuration" and c.state == "problem" for c in checks())


def test_the_template_is_valid_and_sets_nothing(written, tmp_path, monkeypatch, capsys):
    monkeypatch.setenv(configuration.PATH_VARIABLE, str(tmp_path / "new" / "config.toml"))
    assert configuration.load() == configuration.Configuration()
    assert main(["config", "--init"]) == 0
    assert configuration.load() == configuration.Configuration()
    assert main(["config", "--init"]) == 1
    uncommented = configuration.TEMPLATE.replace("# country", "country").replace('# "main', '"main')
    written(uncommented)
    assert (configuration.load().country, configuration.load().keys) == ("GB", {"main.take": "t"})
    capsys.readouterr()
    assert main(["config"]) == 0
    assert "country: GB" in capsys.readouterr().out


def test_the_defaults_of_new_cases_come_from_the_configuration(written, tmp_path):
    written('country = "NZ"\ntime_zone = "Pacific/Auckland"\n')
    assert main(["new", str(tmp_path / "a.kettle")]) == 0
    assert main(["new", str(tmp_path / "b.kettle"), "--country", "US"]) == 0
    for name, expected in (("a", ("NZ", "Pacific/Auckland")), ("b", ("US", ""))):
        with Case.open(tmp_path / f"{name}.kettle") as case:
            setup = case.setup()
        assert (setup.country, setup.time_zone if name == "a" else "") == expected


def test_every_binding_has_an_id_that_the_configuration_can_set():
    for source in TUI.rglob("*.py"):
        for call in (n for n in ast.walk(ast.parse(source.read_text())) if isinstance(n, ast.Call)):
            if isinstance(call.func, ast.Name) and call.func.id == "Binding":
                assert any(k.arg == "id" for k in call.keywords), f"{source}:{call.lineno}"
    ids = [name for name, _ in binding_ids()]
    assert len(ids) == len(set(ids)) > 40
    assert "main.take" in ids


def test_doctor_names_a_remedy_for_every_problem(monkeypatch, capsys):
    monkeypatch.setenv("TERM", "dumb")
    monkeypatch.setenv("PATH", "/nowhere")
    found = {c.topic: c for c in checks()}
    assert found["terminal"].state == "problem"
    assert found["iw"].state == "missing"
    assert all(c.remedy for c in found.values() if c.state == "missing")
    assert main(["doctor"]) == 1
    shown = capsys.readouterr()
    assert "gray-kettle" in shown.out
    assert "found." in shown.err


def test_the_support_file_gives_no_foreign_name_or_address_away(case_of, tmp_path, capsys):
    case = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour()), setup=Setup(own=("tern-guest",)))
    output = tmp_path / "support.zip"
    assert main(["support", str(case), "-o", str(output)]) == 0
    with zipfile.ZipFile(output) as bundle:
        summary = json.loads(bundle.read("case.json"))
        everything = b"".join(bundle.read(name) for name in bundle.namelist()).decode()
    assert summary["radios"] > 0
    assert summary["setup"]["own"] == ["tern-guest"]
    with Case.open(case) as opened:
        foreign = {a.ssid.decode() for a in opened.window().announcements} - {"tern-guest", ""}
        addresses = {a.bssid for a in opened.window().announcements}
    assert foreign
    assert addresses
    assert not [name for name in (*foreign, *addresses) if name in everything]
    assert main(["support", str(case), "-o", str(output)]) == 1
    assert "exists already" in capsys.readouterr().err


def test_the_log_holds_only_printable_text():
    handler = logging.StreamHandler()
    formatter = diagnostics_log._Printable("%(message)s")
    record = logging.LogRecord("x", logging.INFO, "", 0, "name %s", ("a\x1b[2Jb\u202ec\nd",), None)
    handler.setFormatter(formatter)
    text = handler.format(record)
    assert "\x1b" not in text
    assert "\u202e" not in text
    assert text.startswith("name a")
