"""The `stand-in` commands: simulated instruments on ports of this machine."""

import time
from contextlib import suppress
from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.errors import KettleError

stand_in = typer.Typer(
    no_args_is_help=True, help="Start a simulated instrument or access point, to try a task without one."
)


@stand_in.callback()
def _stand_in() -> None:
    """Start a simulated instrument or access point, to try a task without one."""


@stand_in.command(name="analyser")
def stand_in_analyser(
    port: Annotated[int, typer.Option("--port", help="Port on this machine, 0 for a free one.")] = 5025,
    hour: Annotated[float, typer.Option("--hour", help="Hour of the demo day at which it starts.")] = 12.1,
    rows_per_s: Annotated[float, typer.Option("--rows-per-s", help="Sweeps a second.")] = 20.0,
    band: Annotated[str, typer.Option("--band", help="2.4 or 5.")] = "2.4",
    fault: Annotated[str, typer.Option("--fault", help="slow, silent, broken, drops, ascii or terse.")] = "",
) -> None:
    """A SCPI analyser in the ticket hall of Tern Quay. Ends with ctrl+c."""
    from gray_kettle.simulator import tern_quay, tern_sweeps
    from gray_kettle.simulator.analyser import FAULTS, SimulatedAnalyser

    if fault not in FAULTS or band not in ("2.4", "5") or not 0.1 <= rows_per_s <= 1000 or not 0 <= hour < 24:
        raise typer.BadParameter("see --help for the faults, bands and rates.")
    began_s, first_s = time.time(), tern_quay.START_S + 86400 + hour * 3600
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", band, tern_quay.SEED)
    try:
        with SimulatedAnalyser(
            scene, lambda: first_s + time.time() - began_s, port, rows_per_s, fault
        ) as analyser:
            span = (
                "start=2399MHz&stop=2489MHz&points=361"
                if band == "2.4"
                else "start=5160MHz&stop=5860MHz&points=701"
            )
            print(
                f"Listening. In another terminal, run: gray-kettle take CASE 'scpi://127.0.0.1:{analyser.port}?{span}'",
                flush=True,
            )
            _until_interrupted()
    except OSError as error:
        raise KettleError(f"Port {port} cannot be used: {error.strerror}.") from error


def _until_interrupted() -> None:
    """Wait for ctrl+c."""
    with suppress(KeyboardInterrupt):
        while True:
            time.sleep(1)


@stand_in.command(name="sweeps")
def stand_in_sweeps(
    output: Annotated[Path, typer.Argument(metavar="FILE.csv", help="The sweep table to write.")],
    hour: Annotated[float, typer.Option("--hour", help="Hour of the demo's second day.")] = 12.1,
    minutes: Annotated[float, typer.Option("--minutes", help="Duration of the table.")] = 2.0,
    rows_per_s: Annotated[float, typer.Option("--rows-per-s", help="Sweeps a second.")] = 5.0,
    band: Annotated[str, typer.Option("--band", help="2.4 or 5.")] = "2.4",
    cheap: Annotated[
        bool,
        typer.Option(
            "--cheap", help="By a receiver of 8 bits with a spike, spurs, an image and steps of gain."
        ),
    ] = False,
) -> None:
    """A sweep table from the ticket hall of Tern Quay, and beside it (FILE.truth.json) what really was on the air."""
    import numpy as np

    from gray_kettle.export.files import check_target, write_file
    from gray_kettle.simulator import tern_quay, tern_sweeps
    from gray_kettle.simulator.spectra.iq_frames import FrontEnd
    from gray_kettle.simulator.spectra.scene import Instrument
    from gray_kettle.simulator.spectra.writers import truth_text, write_table

    if (
        band not in ("2.4", "5")
        or not 0 < minutes <= 1440
        or not 0.01 <= rows_per_s <= 100
        or not 0 <= hour < 24
    ):
        raise typer.BadParameter("see --help for the bands, lengths and rates.")
    span = tern_sweeps.LOW if band == "2.4" else tern_sweeps.HIGH
    times = tern_quay.START_S + 86400 + hour * 3600 + np.arange(0, 60 * minutes, 1 / rows_per_s)
    # No instrument sweeps by the clock: rows that did would observe an oven always at one phase of the mains.
    times = times + np.random.default_rng(tern_quay.SEED).uniform(0, 0.3 / rows_per_s, len(times))
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", band, tern_quay.SEED)
    check_target(output.with_suffix(".truth.json"))
    instrument = Instrument(span)
    if cheap:
        floor_dbm = float(10 * np.log10(instrument.floor_mw))
        at_hz = (span.start_hz + share * (span.end_hz - span.start_hz) for share in (0.23, 0.71))
        front_end = FrontEnd(
            offset_dbm=floor_dbm + 20, spurs=tuple((hz, floor_dbm + 15) for hz in at_hz), gain_error_db=0.3,
            phase_error_deg=2.0, bits=8, full_scale_dbm=floor_dbm + 60, step_error_db=1.0,
        )  # fmt: skip
        instrument = Instrument(span, front_end=front_end)
    write_file(output, lambda table: write_table(table, span, scene.rows(instrument, times)))
    truth = scene.truth(span, float(times[0]), float(times[-1]) + 1)
    write_file(output.with_suffix(".truth.json"), truth_text(truth))


@stand_in.command(name="access-point")
def stand_in_access_point(
    port: Annotated[int, typer.Option("--port", help="Port on this machine, 0 for a free one.")] = 8830,
) -> None:
    """The access points of Tern Quay behind RESTCONF, to try `apply` on. Ends with ctrl+c."""
    from gray_kettle.simulator import tern_quay
    from gray_kettle.simulator.access_point import SimulatedAccessPoints, boxes_of

    site = tern_quay.site()
    try:
        with SimulatedAccessPoints(boxes_of(site, tern_quay.END_S - 1), site.country, port) as points:
            print(
                f"Listening. In another terminal, run: gray-kettle apply CASE http://127.0.0.1:{points.port}",
                flush=True,
            )
            _until_interrupted()
    except OSError as error:
        raise KettleError(f"Port {port} cannot be used: {error.strerror}.") from error
