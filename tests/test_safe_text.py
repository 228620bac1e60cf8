"""Hostile names are harmless everywhere: in tables, JSON, drawings and on the screen (see also the terminal tests)."""

import json
import re
import unicodedata
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.cli.main import main
from gray_kettle.export.drawings import lanes_figure, save
from gray_kettle.model.setup import Setup
from gray_kettle.safe_text import HIDDEN_NAME, REPLACEMENT, network_name, printable
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.frames import OWN, beacon, ht, write_pcap

NAMES = [
    b"\x1b[31mred\x1b]0;title\x07",
    b"[bold]x[/bold] [/nothing] [@click=app.quit]go[/]",
    b"=HYPERLINK(\"x\")",
    b"<script>alert(1)</script>&amp;",
    b"\xff\xfe\xfd bad \xc3",
    "\u202eevil\u202c\u200bzero\u2066x".encode(),
    b"$\\frac{1}{0}$ $^_",
    b"x" * 32,
    b"\x00" * 8,
    b"",
    b"line\r\nbreak\ttab\x85\x9b31m",
    "a\u0301\u0301\u0301\u0301\u0301e".encode(),
    "\U0001f6f0 dish".encode(),
]  # fmt: skip
BIDI = "\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069\u200e\u200f\u061c"


def is_harmless(text: str) -> bool:
    return not any(unicodedata.category(c) in ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp") for c in text)


@given(st.one_of(st.binary(max_size=64), st.text(max_size=64)))
def test_nothing_that_a_terminal_obeys_is_left(raw):
    text = printable(raw)
    assert is_harmless(text)
    assert printable(text) == text
    assert not re.search("[\u0300-\u036f]{2}", text)


@given(st.text(st.characters(categories=["L", "N", "P"]), max_size=20))
def test_plain_names_of_any_script_stay_as_they_are(text):
    composed = unicodedata.normalize("NFC", text)
    assert printable(composed) == composed


@pytest.mark.parametrize(
    ("raw", "shown"),
    [
        (b"\x1b[2J", f"{REPLACEMENT}[2J"),
        ("a\u202eb".encode(), f"a{REPLACEMENT}b"),
        (b"", HIDDEN_NAME),
        (b"\0\0", HIDDEN_NAME),
        ("caf\u00e9 \u00a0x".encode(), "café  x"),
    ],
)
def test_what_is_shown(raw, shown):
    assert network_name(raw) == shown


@pytest.fixture
def hostile_case(tmp_path, case_of):
    packets = []
    for k, name in enumerate(NAMES):
        bssid = f"02:00:00:00:{k:02x}:10"
        packets += [beacon(bssid, name, 1 + k % 11, -50 - k, at / 5, *ht(1 + k % 11)) for at in range(5)]
    packets += [beacon(OWN, NAMES[0], 3, -40, at / 5, *ht(3, 1)) for at in range(5)]
    setup = Setup(
        site="\x1b[31m[b]$x$",
        country="GB",
        own=(OWN, *(n.decode() for n in NAMES[:2])),
        names=((OWN, "hall"),),
    )
    return case_of(write_pcap(tmp_path / "a.pcap", packets), setup=setup)


@pytest.mark.parametrize("command", ["heard", "air", "brief", "plan"])
@pytest.mark.parametrize("form", [[], ["--json"]])
@pytest.mark.slow
def test_commands_print_nothing_that_a_terminal_obeys(hostile_case, capsys, command, form):
    assert main([command, str(hostile_case), *form]) == 0
    out = capsys.readouterr().out
    assert is_harmless(out.replace("\n", ""))
    if form:
        answer = json.loads(out)
        assert answer["schema"] == f"gray-kettle/{command}/{2 if command == 'air' else 1}"
        if command == "heard":
            told = {b["ssid_hex"] for r in answer["radios"] for b in r["bssids"]}
            assert told == {name[:32].hex() for name in NAMES}  # as sent, for whoever wants the bytes


@pytest.mark.parametrize("ending", ["svg", "pdf"])
@pytest.mark.slow
def test_drawings_hold_names_as_text_and_nothing_else(hostile_case, tmp_path, ending):
    with Case.open(hostile_case) as case:
        session = load_session(case)
    path = tmp_path / f"lanes.{ending}"
    save(lanes_figure(session, "2.4"), path)
    raw = path.read_bytes()
    if ending == "pdf":
        assert raw.startswith(b"%PDF")
        return
    tree = ElementTree.fromstring(raw)
    assert not [e for e in tree.iter() if e.tag.endswith("script")]
    text = " ".join("".join(e.itertext()) for e in tree.iter() if e.tag.endswith("}text"))
    assert "<script>alert(1)</script>" in text
    assert r"$\frac{1}{0}$" in text
    assert not set(text) & set(BIDI + "\x1b")
