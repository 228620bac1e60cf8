"""The command `responder`: the other end of `trial measure`."""

import asyncio
import math
import os
import secrets
import ssl
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.stopping import stop_on_signals
from gray_kettle.cli.trial_measure import TOKEN_VARIABLE
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.throughput.responder import Responder

_LEAST_TOKEN, _LOOK_S = 8, 0.2


def responder(
    host: Annotated[str, typer.Option("--host", help="Address to listen at.")] = "0.0.0.0",
    port: Annotated[int, typer.Option("--port", help="TCP and UDP; 0 for any.")] = 8808,
    token: Annotated[
        str,
        typer.Option("--token", help=f"What clients must know; made up if left out, or in {TOKEN_VARIABLE}."),
    ] = "",
    cert: Annotated[Path | None, typer.Option("--cert", help="Certificate, PEM: TLS then.")] = None,
    key: Annotated[Path | None, typer.Option("--key", help="Its key, PEM.")] = None,
    for_: Annotated[str, typer.Option("--for", help="How long, for example 2h; until ctrl+c.")] = "",
    most_gb: Annotated[int, typer.Option("--most-gb", help="Data in all; then it sends no more.")] = 200,
) -> None:
    """Answer `trial measure`: run it on a machine that is wired to the network, near its router.

    It sends and takes made-up data for whoever knows the token, and nothing else.
    """
    from gray_kettle.collect.live.uri import duration_s
    from gray_kettle.throughput.responder import Bounds, Responder

    seconds = duration_s(for_) if for_ else math.inf
    if seconds is None:
        raise InvalidInput("--for is a duration: write for example 30m or 2h.")
    if not 0 <= port <= 65535 or most_gb < 1:
        raise InvalidInput("--port lies between 0 and 65535, and --most-gb is 1 or more.")
    token = token or os.environ.get(TOKEN_VARIABLE, "") or secrets.token_urlsafe(9)
    if len(token) < _LEAST_TOKEN:
        raise InvalidInput(f"A token has at least {_LEAST_TOKEN} signs.")
    context = _tls(cert, key)
    answering = Responder(token, Bounds(total_octets=most_gb * 1_000_000_000))
    with stop_on_signals() as is_stopped:
        try:
            asyncio.run(_answer(answering, host, port, context, seconds, is_stopped))
        except OSError as error:
            raise KettleError(f"It cannot listen at {host}, port {port}: {error}.") from error
    counts = answering.counts
    print(
        f"{counts.requests} requests, {counts.octets / 1e6:.0f} MB, {counts.datagrams} datagrams; "
        f"{counts.refused} refused."
    )


async def _answer(
    answering: "Responder",
    host: str,
    port: int,
    context: ssl.SSLContext | None,
    seconds: float,
    is_stopped: Callable[[], bool],
) -> None:
    async with answering.listening(host, port, context) as at:
        scheme = "https" if context else "http"
        print(f"Listening at {scheme}://{_shown(host)}:{at}/ (TCP and UDP). Token: {answering.token}")
        print("On the device at the complaint's place:", flush=True)
        print(
            f"  gray-kettle trial measure CASE SETTING --at {scheme}://{_shown(host)}:{at}/ --token {answering.token}",
            flush=True,
        )
        loop = asyncio.get_running_loop()
        end_s = loop.time() + seconds
        while not is_stopped() and loop.time() < end_s:
            await asyncio.sleep(_LOOK_S)


def _shown(host: str) -> str:
    """An address that clients can use, where it listens at all of them."""
    if host not in ("0.0.0.0", "::"):
        return f"[{host}]" if ":" in host else host
    import socket

    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as line:
        try:
            line.connect(("192.0.2.1", 9))  # sends nothing: asks which of our addresses leads out
            return str(line.getsockname()[0])
        except OSError:
            return socket.gethostname()


def _tls(cert: Path | None, key: Path | None) -> ssl.SSLContext | None:
    if cert is None and key is None:
        return None
    if cert is None or key is None:
        raise InvalidInput("TLS needs both --cert and --key.")
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    try:
        context.load_cert_chain(cert, key)
    except (OSError, ssl.SSLError) as error:
        raise KettleError(f"The certificate cannot be used: {error}.") from error
    return context
