"""The command that shows one frame: what its sender said, and what the receiver saw of it."""

from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, Json, end, load, print_json
from gray_kettle.errors import InvalidInput


def frame(
    case: CasePath,
    what: Annotated[str, typer.Argument(help="A BSSID, a client's address, or a channel: 11, 6:37.")],
    number: Annotated[int | None, typer.Option("--number", help="Show this one of the list whole.")] = None,
    json: Json = False,
) -> None:
    """Example frames of a BSSID, a client or a channel, field by field: they are kept from captures."""
    from gray_kettle.analysis.inventory.example_lookup import readings_for
    from gray_kettle.store import Case

    session = load(case, None, None, detect=False)
    radios = session.inventory.radios
    with Case.open(case) as opened:
        readings = readings_for(what, opened.example_frames.all(), radios)
    if number is not None and not 1 <= number <= len(readings):
        raise InvalidInput(f"There is no frame {number}: {len(readings)} are kept of it.")
    readings = readings if number is None else readings[number - 1 : number]
    if json:
        from gray_kettle.export.json_api.frame import frames_answer

        print_json(frames_answer(readings), session)
    else:
        from gray_kettle.export.frame_lines import frame_text, list_text

        site_time = session.setup.site_time
        print(list_text(readings, site_time) if number is None else frame_text(readings[0], site_time))
    end(session)
