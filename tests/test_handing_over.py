"""What is handed over: the report, tables in open formats, and names that come from lists."""

import csv
import io
import json
import re
import shutil
import subprocess
from html.parser import HTMLParser

import pyarrow.parquet as pq
import pytest
from babel.messages import extract, mofile, pofile
from babel.messages.catalog import Catalog
from pypdf import PdfReader

from gray_kettle.cli.main import main
from gray_kettle.decode.device_names import device_names_from
from gray_kettle.export.data.export import ANSWERS, STREAMS
from gray_kettle.export.report import catalogue
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.frames import OWN, beacon, busy_harbour, ht, write_pcap
from tests.site import CLIENTS
from tests.terminal import PROGRAM
from tests.test_safe_text import hostile_case, is_harmless  # noqa: F401


class _Page(HTMLParser):
    """Tags, texts, and every address that a page could fetch from."""

    def __init__(self, text):
        super().__init__()
        self.tags, self.texts, self.sources = [], [], []
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        self.sources += [v for k, v in attrs if k in ("src", "href", "data", "action", "srcset", "style")]
        assert not [k for k, _ in attrs if k.startswith("on")]

    def handle_data(self, data):
        self.texts.append(data)


def report(case, tmp_path, *words, name="report.pdf"):
    path = tmp_path / name
    assert main(["report", str(case), "-o", str(path), *words]) == 0
    return path


def pdf_text(path):
    return "\n".join(page.extract_text() for page in PdfReader(path).pages)


@pytest.mark.slow
def test_the_report_says_what_was_wrong_what_was_done_and_whether_it_helped(site, tmp_path):
    path = report(site, tmp_path)
    reader = PdfReader(path)
    first, everything = reader.pages[0].extract_text(), pdf_text(path)
    for words in (
        "Slow since",
        "What was wrong",
        "What was done",
        "channel 3 → 1, width 40 → 20 MHz",
        "What remains",
    ):
        assert words in first
    assert "channels between 1, 6 and 11" in everything
    for words in ("What was not measured", "Plan", "Before and after", "Trials", "Inputs and their digests"):
        assert words in everything
    assert CLIENTS[0] not in everything
    assert OWN in everything
    titles = [str(item.title) for item in reader.outline if not isinstance(item, list)]
    assert titles[:2] == ["What was measured", "Findings"]
    root = reader.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"]
    assert root["/Lang"] == "en"
    roles = set(_roles(root["/StructTreeRoot"]["/K"]))
    assert roles >= {"/Document", "/H1", "/H2", "/P", "/LI", "/Table", "/TR", "/TH", "/TD", "/Figure", "/TOC"}
    done = subprocess.run(["qpdf", "--check", path], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    assert path.stat().st_size < 3e6
    page = _Page(report(site, tmp_path, name="report.html").read_text())
    plain = " ".join(" ".join(page.texts).split())
    for words in ("What was wrong", "What remains", "Before and after", "Trials"):
        assert words in plain
    assert "script" not in page.tags
    assert all(s.startswith(("#", "data:image/")) or s == "data:," for s in page.sources)


def _roles(element):
    element = element.get_object()
    yield element["/S"]
    if element["/S"] == "/Figure":
        assert len(element["/Alt"]) > 20
    for child in element["/K"]:
        if "/S" in child.get_object():
            yield from _roles(child)


def test_a_healthy_site_is_told_that_nothing_needs_to_change(case_of, tmp_path):
    packets = [beacon(OWN, b"ours", 36, -50, k / 5, *ht(36)) for k in range(60)]
    case = case_of(
        write_pcap(tmp_path / "a.pcap", packets), setup=Setup(site="Quiet", country="GB", own=("ours",))
    )
    path = report(case, tmp_path, "--short")
    text = pdf_text(path)
    assert "Nothing needs to change." in text
    assert "Nothing that needs a change was found" in text
    assert len(PdfReader(path).pages) == 1


def test_without_own_networks_the_report_says_what_to_enter(case_of, tmp_path):
    case = case_of(write_pcap(tmp_path / "a.pcap", busy_harbour(4)))
    assert "Which networks are yours is not entered" in pdf_text(report(case, tmp_path, "--short"))


@pytest.mark.slow
def test_hostile_names_do_nothing_in_a_report_or_a_table(hostile_case, tmp_path):  # noqa: F811
    page = _Page(report(hostile_case, tmp_path, name="report.html").read_text())
    assert "script" not in page.tags
    assert "<script>alert(1)</script>" in "".join(page.texts)
    assert is_harmless("".join(page.texts).replace("\n", ""))
    assert is_harmless(pdf_text(report(hostile_case, tmp_path)).replace("\n", ""))
    for table in ("bssids", "sightings", "findings"):
        out = tmp_path / f"{table}.csv"
        assert main(["export", str(hostile_case), "-o", str(out), "--table", table]) == 0
        rows = list(csv.reader(io.StringIO(out.read_text())))
        for cell in (cell for row in rows for cell in row):
            assert is_harmless(cell)
            assert not re.match(r"[=+@]|-(?![\d.])", cell)


def test_names_and_logo_come_from_the_configuration(site, tmp_path, monkeypatch):
    logo = tmp_path / "logo.png"
    assert main(["draw", "levels", str(site), "-o", str(logo)]) == 0
    config = tmp_path / "config.toml"
    config.write_text(
        f'technician = "A. Name"\ncontact = "a.name@example.com"\nlogo = "{logo}"\nlanguage = "tlh"\n'
    )
    monkeypatch.setenv("GRAY_KETTLE_CONFIG", str(config))
    monkeypatch.setattr(catalogue, "SHIPPED", tmp_path / "locale")
    made = Catalog(locale="de")
    made.add("What was wrong", "Qay'be'ghach")
    folder = tmp_path / "locale" / "tlh" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    with (folder / "gray-kettle.mo").open("wb") as file:
        mofile.write_mo(file, made)
    path = report(site, tmp_path, "--short", "--mask")
    text = pdf_text(path)
    assert "A. Name · a.name@example.com" in text
    assert "Qay'be'ghach" in text
    assert "What was done" in text  # what a catalogue does not have stays English
    assert PdfReader(path).trailer["/Root"]["/Lang"] == "tlh"


def test_the_catalogue_has_every_text_of_the_report():
    folder = catalogue.SHIPPED.parent / "export" / "report"
    keywords = {"_": None, "N_": None, "ngettext": (1, 2)}
    found = {m[2] for m in extract.extract_from_dir(folder, [("**.py", "python")], keywords=keywords)}
    with (catalogue.SHIPPED / "gray-kettle.pot").open("rb") as file:
        held = {message.id for message in pofile.read_po(file) if message.id}
    assert found == held, "make catalogue"


@pytest.mark.parametrize("table", [*ANSWERS, *STREAMS])
def test_a_table_is_the_same_in_every_format(site, tmp_path, table, monkeypatch):
    monkeypatch.chdir(tmp_path)
    for ending in ("csv", "json", "jsonl", "parquet"):
        window = ["--to", "2027-01-15T08:00:08"] if table in STREAMS else []
        assert main(["export", str(site), "-o", f"t.{ending}", "--table", table, *window]) == 0
    rows = json.loads((tmp_path / "t.json").read_text())["rows"]
    assert rows == [json.loads(line) for line in (tmp_path / "t.jsonl").read_text().splitlines()]
    held = pq.read_table(tmp_path / "t.parquet")
    assert held.num_rows == len(rows)
    package = json.loads((tmp_path / "t.csv.datapackage.json").read_text())
    names = [field["name"] for field in package["resources"][0]["schema"]["fields"]]
    with (tmp_path / "t.csv").open(newline="") as file:
        listed = list(csv.reader(file))
    assert listed[0] == names == held.column_names
    assert len(listed) == len(rows) + 1
    if table not in ("survey", "links", "sweeps-summed"):
        assert rows
        assert list(rows[0]) == names
    for row, cells in zip(rows, listed[1:], strict=True):
        for name, cell in zip(names, cells, strict=True):
            if isinstance(row[name], float):
                assert float(cell) == row[name]


def test_own_only_lists_no_foreign_radio(site, tmp_path):
    for table in ("radios", "sightings"):
        out = tmp_path / f"{table}.jsonl"
        assert main(["export", str(site), "-o", str(out), "--table", table, "--own-only"]) == 0
        text = out.read_text()
        assert OWN in text
        assert "chandlery" not in text


LISTS = {
    "neigh": "192.0.2.5 dev wlan0 lladdr 02:11:22:33:44:01 REACHABLE\ntill-2 dev x lladdr 02:11:22:33:44:02 STALE\n",
    "dnsmasq": "179 02:11:22:33:44:01 192.0.2.7 scanner-1 01:02\n179 02:11:22:33:44:02 192.0.2.8 * *\n",
    "kea": 'address,hwaddr,client_id,hostname,state\n192.0.2.9,02:11:22:33:44:01,,"desk, left",0\n'
           "1,02:11:22:33:44:02,,,0\n",
    "isc": 'lease 192.0.2.4 {\n  hardware ethernet 02:11:22:33:44:01;\n  client-hostname "cam}era";\n}\n'
           "lease 192.0.2.6 {\n hardware ethernet 02:11:22:33:44:02;\n}\n",
    "table": "Name;MAC\nFred;02-11-22-33-44-01\nAnn\x1b[2J;0211.2233.4402\n",
    "plain": "# remarks\n02:11:22:33:44:01 the till\n02:11:22:33:44:02\n",
}  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "names", "skipped"),
    [
        ("neigh", ("192.0.2.5", "till-2"), 0),
        ("dnsmasq", ("scanner-1", "192.0.2.8"), 0),
        ("kea", ("desk, left", None), 1),
        ("isc", ("cam}era", "192.0.2.6"), 0),
        ("table", ("Fred", "Ann\ufffd[2J"), 0),
        ("plain", ("the till", None), 1),
    ],
)
def test_lists_of_devices(kind, names, skipped):
    found = device_names_from(LISTS[kind])
    wanted = [(f"02:11:22:33:44:0{k}", name) for k, name in enumerate(names, 1) if name]
    assert (list(found.names), found.skipped) == (wanted, skipped)


def test_names_show_everywhere_and_an_access_point_gets_that_of_its_cable(site, tmp_path, capsys):
    case = tmp_path / "a.kettle"
    shutil.copy(site, case)
    leases = tmp_path / "leases"
    leases.write_text(f"1 {CLIENTS[1]} 192.0.2.3 scanner-7 *\n1 00:00:00:00:01:1f 192.0.2.4 upstairs *\n")
    assert main(["names", str(case), str(leases)]) == 0
    assert "2 names read, 1 of them" in capsys.readouterr().out
    assert main(["names", str(case)]) == 0
    assert "00:00:00:00:01:1f  upstairs  (not heard)" in capsys.readouterr().out
    with Case.open(case) as opened:
        radios = load_session(opened).inventory.radios
    assert {r.name for r in radios if r.own} == {"hall", "upstairs"}
    assert "scanner-7" in {c.name for r in radios for n in r.networks for c in n.clients}
    assert main(["names", str(case), str(site)]) == 1
    assert "no line holds an address and a name" in capsys.readouterr().err


@pytest.mark.slow
def test_the_app_hands_over(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo))
    terminal.wait_for("What is wrong")
    terminal.keys("X")
    terminal.wait_for("Hand over", "for the customer", "names of clients are masked")
    terminal.keys("m")
    terminal.wait_for("all addresses, and names of foreign networks")
    terminal.keys("Down", "Down", "Down", "Enter")
    terminal.wait_for("Written:", "tern-quay-changes.pdf")
    assert own_demo.with_name("tern-quay-changes.pdf").read_bytes().startswith(b"%PDF")
    terminal.keys("Up", "Up", "Up", "Enter")
    terminal.wait_for("━")
    terminal.keys("Escape")
    terminal.wait_for("nothing was written")
    assert not own_demo.with_name("tern-quay-report.pdf").exists()
    terminal.keys("Escape")
    terminal.keys("6")
    terminal.wait_for("6 Proof")
