"""The other end of a measurement: sends, takes and echoes for whoever knows the token, within bounds.

HTTP/1.1 by h11. GET /down?octets=N sends, POST /up takes, GET /echo answers at once; datagrams to the same port come
back (throughput.echo). Source: docs/proof.md, "Measure from where the complaint is".
"""

import asyncio
import hmac
import json
import os
import ssl
import time
from collections import Counter
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from dataclasses import dataclass, field
from typing import cast
from urllib.parse import parse_qs, urlsplit

import h11

from gray_kettle import __version__
from gray_kettle.throughput.echo import answer_to

SERVER = f"gray-kettle-responder/{__version__}"
_CHUNK = 1 << 18
_HEAD_S, _STALL_S = 15.0, 10.0  # for the next head to come; without a single octet
_MOST_HEAD_BYTES = 8192
_DATAGRAMS_PER_S = 2000


@dataclass(frozen=True)
class Bounds:
    """connections: at a time, and of one address. octets, seconds: of one request. total_octets: of all requests."""

    connections: int = 64
    of_one_address: int = 24
    octets: int = 4 << 30
    seconds: float = 120.0
    total_octets: int = 200 << 30


@dataclass
class Counts:
    """What was answered so far."""

    connections: int = 0
    requests: int = 0
    octets: int = 0
    refused: int = 0
    datagrams: int = 0


@dataclass
class Responder:
    """Answers until it is closed. token: at least eight signs; who does not know it gets nothing."""

    token: str
    bounds: Bounds = field(default_factory=Bounds)
    counts: Counts = field(default_factory=Counts)
    _by_address: Counter[str] = field(default_factory=Counter)
    _noise: bytes = field(default_factory=lambda: os.urandom(_CHUNK))  # nothing on the way can compress it

    @asynccontextmanager
    async def listening(self, host: str, port: int, tls: ssl.SSLContext | None = None) -> AsyncIterator[int]:
        """Listen while the block runs; gives the port. Raises: OSError, where the port cannot be had."""
        server = await asyncio.start_server(self._connected, host, port, ssl=tls, limit=_CHUNK, backlog=128)
        at = int(server.sockets[0].getsockname()[1])
        loop = asyncio.get_running_loop()
        echoing = None
        try:
            echoing, _ = await loop.create_datagram_endpoint(lambda: _Echo(self), local_addr=(host, at))
            yield at
        finally:
            if echoing is not None:
                echoing.close()
            server.close()

    async def _connected(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        address = str((writer.get_extra_info("peername") or ("?",))[0])
        is_full = (
            sum(self._by_address.values()) >= self.bounds.connections
            or self._by_address[address] >= self.bounds.of_one_address
        )
        self.counts.connections += 1
        self._by_address[address] += 1
        try:
            if is_full:
                self.counts.refused += 1
            else:
                await _Conversation(self, reader, writer).hold()
        except (OSError, TimeoutError, asyncio.IncompleteReadError, ssl.SSLError):
            pass  # they went away, or were too slow
        finally:
            self._by_address[address] -= 1
            if self._by_address[address] <= 0:
                del self._by_address[address]
            with suppress(OSError, ssl.SSLError):
                writer.transport.abort()

    @property
    def noise(self) -> bytes:
        return self._noise

    def knows(self, authorization: str) -> bool:
        """Whether a request may be answered."""
        kind, _, said = authorization.partition(" ")
        return kind.lower() == "bearer" and hmac.compare_digest(said.strip().encode(), self.token.encode())


class _Conversation:
    """One connection."""

    def __init__(
        self, responder: Responder, reader: asyncio.StreamReader, writer: asyncio.StreamWriter
    ) -> None:
        self._responder, self._reader, self._writer = responder, reader, writer
        self._http = h11.Connection(h11.SERVER, max_incomplete_event_size=_MOST_HEAD_BYTES)

    async def hold(self) -> None:
        """Request by request, until it ends. Raises: OSError, TimeoutError."""
        while True:
            try:
                async with asyncio.timeout(_HEAD_S):  # of the whole head, however slowly it comes
                    request = await self._next(_HEAD_S)
                if not isinstance(request, h11.Request):
                    return
                async with asyncio.timeout(self._responder.bounds.seconds + _STALL_S):
                    is_kept = await self._answer(request)
            except h11.RemoteProtocolError as error:
                self._responder.counts.refused += 1
                if self._http.our_state in (h11.IDLE, h11.SEND_RESPONSE):
                    await self._send(error.error_status_hint, b"")
                return
            if not is_kept or self._http.our_state is not h11.DONE or self._http.their_state is not h11.DONE:
                return
            self._http.start_next_cycle()

    async def _answer(self, request: h11.Request) -> bool:
        """Whether the connection may be used again."""
        responder = self._responder
        headers = {name.lower(): value for name, value in request.headers}
        if not responder.knows(headers.get(b"authorization", b"").decode("latin-1")):
            responder.counts.refused += 1
            await self._send(401, b"")
            return False
        responder.counts.requests += 1
        url = urlsplit(request.target.decode("latin-1"))
        method = request.method.decode("latin-1")
        if responder.counts.octets >= responder.bounds.total_octets and url.path != "/echo":
            await self._send(503, b"")
            return False
        if method == "GET" and url.path == "/down":
            await self._down(parse_qs(url.query).get("octets", [""])[0])
        elif method == "POST" and url.path == "/up":
            await self._up()
        elif method in ("GET", "HEAD") and url.path == "/echo":
            await self._rest()
            await self._send(200, b"")
        else:
            await self._send(404, b"")
            return False
        return True

    async def _down(self, wanted: str) -> None:
        bounds, counts = self._responder.bounds, self._responder.counts
        left = min(int(wanted), bounds.octets) if wanted.isdecimal() and len(wanted) < 16 else bounds.octets
        await self._rest()
        await self._write(
            h11.Response(
                status_code=200,
                headers=[
                    ("Content-Length", str(left)),
                    ("Content-Type", "application/octet-stream"),
                    ("Cache-Control", "no-store"),
                    ("Server", SERVER),
                ],
            )
        )
        end_s = time.monotonic() + bounds.seconds
        while left and time.monotonic() < end_s:
            part = self._responder.noise[: min(left, _CHUNK)]
            await self._write(h11.Data(data=part))
            left -= len(part)
            counts.octets += len(part)
        if not left:
            await self._write(h11.EndOfMessage())

    async def _up(self) -> None:
        bounds, counts = self._responder.bounds, self._responder.counts
        start_s, took = time.monotonic(), 0
        while True:
            event = await self._next(_STALL_S)
            if isinstance(event, h11.Data):
                took += len(event.data)
                counts.octets += len(event.data)
                if took > bounds.octets or time.monotonic() - start_s > bounds.seconds:
                    await self._send(413, b"")
                    return
            elif isinstance(event, h11.EndOfMessage):
                break
            else:
                return
        answer = {"octets": took, "seconds": round(time.monotonic() - start_s, 6)}
        await self._send(200, json.dumps(answer).encode(), "application/json")

    async def _rest(self) -> None:
        """The body of a request that needs none."""
        while not isinstance(event := await self._next(_HEAD_S), h11.EndOfMessage):
            if not isinstance(event, h11.Data):
                raise ConnectionError

    async def _next(self, seconds: float) -> h11.Event | type[h11.NEED_DATA] | type[h11.PAUSED]:
        while True:
            event = self._http.next_event()
            if event is not h11.NEED_DATA:
                return event
            async with asyncio.timeout(seconds):
                self._http.receive_data(await self._reader.read(_CHUNK))

    async def _send(self, status: int, body: bytes, kind: str = "text/plain") -> None:
        headers = [("Content-Length", str(len(body))), ("Content-Type", kind), ("Server", SERVER)]
        await self._write(h11.Response(status_code=status, headers=headers))
        if body:
            await self._write(h11.Data(data=body))
        await self._write(h11.EndOfMessage())

    async def _write(self, event: h11.Event) -> None:
        data = self._http.send(event)
        if data:
            self._writer.write(data)
            async with asyncio.timeout(_STALL_S):
                await self._writer.drain()


class _Echo(asyncio.DatagramProtocol):
    """Sends back what comes from who knows the token, a bounded number a second."""

    def __init__(self, responder: Responder) -> None:
        self._responder = responder
        self._second, self._in_it = 0, 0
        self._transport: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        second = int(time.monotonic())
        self._in_it = self._in_it + 1 if second == self._second else 1
        self._second = second
        if self._in_it > _DATAGRAMS_PER_S or self._transport is None:
            return
        answer = answer_to(self._responder.token, data)
        if answer is not None:
            self._responder.counts.datagrams += 1
            self._transport.sendto(answer, addr)
