"""Masked output: no original in anything that is written, and the same figures."""

import io
import json
import re
import zipfile
from dataclasses import asdict

import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

from gray_kettle.analysis.inventory.radio_grouping import address_key
from gray_kettle.cli.main import main
from gray_kettle.masking import Masking, MaskOptions
from gray_kettle.masking.addresses import AddressMask
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.store.masked import MaskedCase
from tests.site import BSSIDS, CLIENTS, DEVICES, NEIGHBOURS

SECRET = b"s" * 32
NUMBERS = st.integers(0, (1 << 48) - 1)


@given(NUMBERS, NUMBERS, st.booleans())
def test_addresses_become_others_one_to_one_and_keep_what_is_computed_from_them(one, other, keeps_maker):
    mask = AddressMask(SECRET, keeps_maker)
    masked, masked_other = mask.number(one), mask.number(other)
    assert (masked == masked_other) == (one == other)
    assert masked >> 40 & 3 == one >> 40 & 3  # local, group
    assert masked & 0xFF == one & 0xFF
    if keeps_maker:
        assert masked >> 24 == one >> 24 or one in (0, (1 << 48) - 1)


@given(NUMBERS, st.integers(0, 255), st.integers(0, 15))
def test_addresses_of_one_radio_stay_together(number, first, low):
    mask = AddressMask(SECRET)
    neighbour = number & ~(0xFF << 40) & ~0xF | first << 40 | low
    keys = [address_key(mask.text(f"{n:012x}")) for n in (number, neighbour)]
    ends = (0, (1 << 48) - 1)
    assert keys[0] == keys[1] or number in ends or neighbour in ends


def test_two_secrets_give_two_addresses_and_one_the_same():
    one, again, other = AddressMask(SECRET), AddressMask(SECRET), AddressMask(b"t" * 32)
    assert one.text(BSSIDS[0]) == again.text(BSSIDS[0].upper().replace(":", "-")) != other.text(BSSIDS[0])


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("at scpi://10.1.2.3:5025 and 10.1.2.3", "at scpi://host and host"),
        ("in /home/ann/visits/a.pcap, on 6/20", "in a.pcap, on 6/20"),
        ("the cafés, cafe; cafe2", "the cafés, {cafe}; cafe2"),
        ("cafe", "{cafe}"),
        ("set x 1", "set x 1"),  # a name of one letter, within a text
    ],
)
def test_texts(text, shown):
    masking = Masking(SECRET, MaskOptions(), (), (b"cafe", b"x"), ())
    assert masking.text(text) == shown.format(cafe=masking.ssid(b"cafe").decode())
    assert masking.text("x") == masking.ssid(b"x").decode()


def test_masking_changes_no_figure(site):
    def figures(session):
        moves = [(m.source, m.target, m.before, m.after) for m in session.proposal.moves]
        found = [(f.severity, f.kind) for f in session.proposal.findings]
        text = json.dumps([[asdict(c) for c in m[2:] if c] for m in moves], default=str)
        return found, [m[:2] for m in moves], re.sub(r'"(radio|name)": "[^"]*"', "", text)

    with Case.open(site) as case:
        plain = load_session(case)
    with MaskedCase.open_masked(site, MaskOptions()) as case:
        masked = load_session(case)
        assert case.read_only
        assert not [take for take in case.take_list.all() if take.digest]
    assert figures(masked) == figures(plain)
    assert {r.id for r in masked.inventory.radios}.isdisjoint(r.id for r in plain.inventory.radios)
    assert [r.name for r in masked.inventory.radios if r.own] == ["hall", "tern-guest"]


def test_clients_alone_are_masked_where_that_is_wanted(site):
    with MaskedCase.open_masked(site, MaskOptions("clients")) as case:
        session = load_session(case)
    clients = [c for r in session.inventory.radios for n in r.networks for c in n.clients]
    assert {r.id for r in session.inventory.radios} <= set(BSSIDS)
    assert len(clients) == 3
    assert not {c.mac for c in clients} & set(CLIENTS)
    assert not [c.name for c in clients if c.name in DEVICES]


@pytest.mark.slow
def test_masked_output_holds_no_original(site, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    case = str(site)
    for words in (
        ["report", case, "-o", "report.pdf"],
        ["report", case, "-o", "report.html"],
        ["export", case, "-o", "all.zip"],
        ["export", case, "-o", "folder", "--format", "jsonl"],
        ["export", case, "-o", "sightings.parquet", "--table", "sightings"],
        ["export", case, "-o", "clients.json", "--table", "clients"],
        ["export", case, "-o", "airtime.csv", "--table", "airtime"],
        ["draw", "lanes", case, "-o", "lanes.svg"],
        ["draw", "levels", case, "-o", "levels.pdf"],
        ["sheet", case, "-o", "sheet.txt"],
        ["sheet", case, "-o", "sheet.csv"],
        ["copy", case, "copy.kettle"],
    ):
        assert main([*words, "--mask"]) == 0
    assert main(["support", case, "-o", "support.zip"]) == 0
    originals = [*BSSIDS, *CLIENTS, *NEIGHBOURS, *DEVICES, "Gilded Bean", "192.0.2.7"]
    originals += [a.replace(":", "") for a in (*BSSIDS, *CLIENTS)]
    originals += [name.encode().hex() for name in NEIGHBOURS]
    read = 0
    for path in sorted(p for p in tmp_path.rglob("*") if p.is_file()):
        for name, text in _texts(path):
            read += 1
            found = [o for o in originals if re.search(rf"(?<![a-z0-9]){re.escape(o)}(?![a-z0-9])", text)]
            assert not found, (path.name, name, found)
            assert not re.findall("|".join(o for o in originals if len(o) == 12), text), (path.name, name)
    assert read > 60
    assert "tern-guest" in (tmp_path / "report.html").read_text()


def _texts(path):
    """(part, its text) of a file of any kind."""
    raw = path.read_bytes()
    if path.suffix == ".zip":
        with zipfile.ZipFile(io.BytesIO(raw)) as bundle:
            yield from ((name, bundle.read(name).decode()) for name in bundle.namelist())
    elif path.suffix == ".pdf":
        reader = PdfReader(path)
        yield "pages", "\n".join(page.extract_text() for page in reader.pages)
        yield "metadata", str(reader.metadata)
    elif path.suffix == ".parquet":
        yield "rows", str(pq.read_table(path).to_pydict())
    elif path.suffix == ".kettle":
        yield "file", raw.decode("latin-1")
        with Case.open(path) as case:
            yield "setup", str(case.setup())
            yield (
                "records",
                str((case.announced(), case.capabilities(), case.take_list.all(), case.alerts.all())),
            )
    else:
        yield "file", raw.decode()
