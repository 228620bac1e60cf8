"""The command `names`: names of devices out of lists that a network keeps of them."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath
from gray_kettle.errors import KettleError

_MOST_BYTES = 16 << 20


def names(
    case: CasePath,
    lists: Annotated[
        list[Path] | None,
        typer.Argument(
            metavar="[LIST]...",
            help="Tables with addresses and names, `ip neigh`, DHCP leases; - reads the standard input.",
        ),
    ] = None,
    forget: Annotated[bool, typer.Option("--forget", help="Take away every name first.")] = False,
) -> None:
    """Read names of clients and access points from lists; without a list, show those that are known."""
    from dataclasses import replace

    from gray_kettle.decode.device_names import device_names_from
    from gray_kettle.model.setup import Setup
    from gray_kettle.session import load_session
    from gray_kettle.setup_editor import with_device_names
    from gray_kettle.store import Case

    read = [device_names_from(_text(path)) for path in lists or ()]
    found = dict(pair for one in read for pair in one.names)
    skipped = sum(one.skipped for one in read)
    if lists and not found:
        raise KettleError(
            f"{lists[0]}: no line holds an address and a name. A line looks like 02:7a:10:01:20:00, till 2."
        )
    with Case.open(case) as opened:
        radios = load_session(opened).inventory.radios if found or not lists else ()
        ours = {n.bssid for r in radios if r.own for n in r.networks}
        heard = {n.bssid for r in radios for n in r.networks}
        heard |= {c.mac for r in radios for n in r.networks for c in n.clients}
        if found or forget:

            def changed(setup: Setup) -> Setup:
                return with_device_names(replace(setup, names=()) if forget else setup, found.items(), ours)

            opened.edit_setup(changed)
        kept = opened.setup().names
    if not lists:
        for address, name in kept:
            print(f"{address}  {name}{'' if address in heard else '  (not heard)'}")
        return
    here = sum(address in heard for address in found)
    print(
        f"{len(found):,} {'name' if len(found) == 1 else 'names'} read, {here:,} of them of devices that were heard"
        f"{f'; {skipped:,} lines without a name were left out' if skipped else ''}."
    )


def _text(path: Path) -> str:
    try:
        if str(path) == "-":
            return sys.stdin.read(_MOST_BYTES)
        with path.open("rb") as file:
            raw = file.read(_MOST_BYTES)
    except OSError as error:
        raise KettleError(f"{path} cannot be read: {error.strerror}.") from error
    return raw.decode("utf-16" if raw[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig", "replace")
