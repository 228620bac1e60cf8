"""Addresses with names of devices, from lists that networks keep of them: a line each, or blocks of DHCP leases.

Read are: any table with a hardware address in each line (separated by commas, semicolons, tabs or spaces, with or
without a heading), `ip neigh`, the leases of dnsmasq, Kea (CSV) and the ISC server. Source: docs/formats.md, "Names of
devices".
"""

import csv
import re
from collections.abc import Iterator
from dataclasses import dataclass

from gray_kettle.model.addresses import ADDRESS, with_colons
from gray_kettle.safe_text import printable

_NAME_HEADS = ("hostname", "host name", "host", "name", "device", "client-hostname", "description")
_MOST_NAMES, _LONGEST = 20_000, 63  # of a name: as of a label of the DNS
_LEASE = re.compile(r"^\s*lease\s+(\S+)\s*\{", re.MULTILINE)
_HARDWARE = re.compile(r"hardware\s+\w+\s+([0-9A-Fa-f:]{17})\s*;")
_HOST_NAME = re.compile(r'client-hostname\s+"([^"]*)"|option\s+host-name\s+"([^"]*)"')
_IP = re.compile(r"^[0-9a-fA-F:.]+$")
_STATES = {"REACHABLE", "STALE", "DELAY", "PROBE", "FAILED", "NOARP", "PERMANENT", "INCOMPLETE"}
_NO_NAME = {"", "*", "-", "?", "unknown", "n/a"}


@dataclass(frozen=True)
class DeviceNames:
    """names: (address, name), the last word on each address. skipped: lines that hold an address and no name."""

    names: tuple[tuple[str, str], ...]
    skipped: int


def device_names_from(text: str) -> DeviceNames:
    """What a list says; lines without an address are headings or remarks."""
    found: dict[str, str] = {}
    skipped = 0
    pairs = _of_leases(text) if _LEASE.search(text) else _of_lines(text)
    for address, name in pairs:
        kept = printable(name).strip()[:_LONGEST]
        if kept.lower() in _NO_NAME:
            skipped += 1
        elif len(found) < _MOST_NAMES or address in found:
            found[address] = kept
    return DeviceNames(tuple(found.items()), skipped)


def _of_leases(text: str) -> Iterator[tuple[str, str]]:
    """Blocks of the ISC server: each ends with a line that begins with a closing brace."""
    at = address = name = ""
    for line in text.splitlines():
        begins, hardware, named = _LEASE.match(line), _HARDWARE.search(line), _HOST_NAME.search(line)
        if begins:
            at, address, name = begins[1], "", ""
        if hardware:
            address = with_colons(hardware[1])
        if named:
            name = named[1] or named[2] or ""
        if line.lstrip().startswith("}") and address:
            yield address, name or at
            address = ""


def _of_lines(text: str) -> Iterator[tuple[str, str]]:
    heads: list[str] = []
    for line in text.splitlines():
        cells = [cell.strip() for cell in _cells(line)]
        at = next((k for k, cell in enumerate(cells) if ADDRESS.fullmatch(cell)), None)
        if at is None:
            lowered = [cell.lower() for cell in cells]
            if any(head in lowered for head in _NAME_HEADS):
                heads = lowered
            continue
        yield with_colons(cells[at]), _name_in(cells, at, heads)


def _cells(line: str) -> list[str]:
    for separator in ("\t", ";", ","):
        if separator in line:
            return next(csv.reader([line], delimiter=separator), [])
    return line.split()


def _name_in(cells: list[str], at: int, heads: list[str]) -> str:
    """Under a heading that says so; else where `ip neigh` and leases have it; else what is no address and no number."""
    for head in _NAME_HEADS:
        if head in heads and heads.index(head) < len(cells):
            return cells[heads.index(head)]
    if "lladdr" in cells:
        return cells[0]
    if at == 1 and len(cells) >= 4 and cells[0].isdecimal() and _IP.match(cells[2]):  # dnsmasq
        return cells[2] if cells[3] == "*" else cells[3]
    words = [c for k, c in enumerate(cells) if k != at and c not in _STATES and not _IP.match(c)]
    return " ".join(words) if words else next((c for k, c in enumerate(cells) if k != at), "")
