"""The case's side: what probes send goes into a case, each message once."""

import json
import queue
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from blake3 import blake3

from gray_kettle.collect.ingest import TakeResult
from gray_kettle.collect.live.source import IsCancelled, Notes, clock, wait
from gray_kettle.collect.merge_pieces import joined
from gray_kettle.collect.probe.broker import Broker, Connection
from gray_kettle.collect.probe.topics import pieces_topic, probe_of, ready_topic, stored_topic
from gray_kettle.collect.probe.wire import Header, Heard, WireError, heard_from, split
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece
from gray_kettle.safe_text import printable
from gray_kettle.store import Case
from gray_kettle.store.database import CannotWriteNow
from gray_kettle.store.takes import Input

_WRITE_EVERY_S = 0.4
_MOST_WAITING = 20_000  # messages in memory; more are not taken, and their probes send them again
_FIRST_ANSWER_S, _FIRST_TRIES_S = 20.0, 4.0
_MOST_PROBES = 1000
_ODD_CLOCK_S = 10.0


@dataclass
class _Queue:
    """What of one probe's queue is in the case. last: number of the last stored message."""

    probe: str
    digest: str
    last: int
    takes: dict[tuple[str, str], "_Take"] = field(default_factory=dict)  # by source and spot


@dataclass
class _Take:
    number: int
    source: str
    kind: str
    records: int = 0
    skipped: int = 0
    is_stored: bool = False
    bands: set[str] = field(default_factory=set)
    notes: Notes = field(default_factory=Notes)


class Collection:
    """Subscribes to all probes of a site and stores what they send, until it is cancelled."""

    def __init__(self, case: Case, broker: Broker, spot: str = "") -> None:
        """spot: of probes that do not say where they are."""
        self._case, self._broker, self._spot = case, broker, spot
        self._came: queue.Queue[tuple[str, bytes]] = queue.Queue(_MOST_WAITING)
        self._connection = Connection(
            broker, (pieces_topic(broker.topic, "+"),), self._arrived, self._say_ready
        )
        self._queues: dict[str, _Queue] = {}
        self.notes = Notes()

    def run(self, is_over: IsCancelled, on_piece: Callable[[Piece], None]) -> list[TakeResult]:
        """One take for each probe, source and spot. Raises: KettleError, where the broker refuses, or nothing came."""
        self._connection.open()
        try:
            self._wait_for_connection(is_over)
            lost_s = 0.0
            while not is_over():
                self._store(on_piece)
                lost_s = self._watch_connection(lost_s)
                wait(_WRITE_EVERY_S, is_over)
            self._store(on_piece)
        except KeyboardInterrupt:
            pass
        except KettleError as error:
            if not self._has_stored:
                for held in self._queues.values():
                    for take in held.takes.values():
                        self._case.forget_take(take.number)
                raise
            self.notes.say(str(error))  # what was stored before is a take, and says why it ended
        finally:
            self._connection.close()
        return self._finished()

    @property
    def _has_stored(self) -> bool:
        return any(take.is_stored for held in self._queues.values() for take in held.takes.values())

    def _wait_for_connection(self, is_over: IsCancelled) -> None:
        ready = self._connection.is_ready
        tried_s = time.monotonic() + _FIRST_TRIES_S

        def is_known() -> bool:
            has_failed = bool(self._connection.refusal) and time.monotonic() > tried_s
            return is_over() or ready.is_set() or self._connection.is_denied or has_failed

        wait(_FIRST_ANSWER_S, is_known)
        if not ready.is_set() and not is_over():
            why = self._connection.refusal or "it does not answer"
            raise KettleError(f"The broker {self._broker.shown} cannot be used: {why}.")

    def _watch_connection(self, lost_s: float) -> float:
        """Since when the broker is away; what is missed meanwhile stays with the probes."""
        if not self._connection.is_ready.is_set():
            return lost_s or time.time()
        if lost_s:
            self.notes.say(f"The broker was away from {clock(lost_s)} for {time.time() - lost_s:.0f} s.")
        return 0.0

    # In the client's thread

    def _arrived(self, topic: str, payload: bytes) -> None:
        probe = probe_of(self._broker.topic, topic)
        if probe is not None and not self._came.full():
            self._came.put_nowait((probe, payload))

    def _say_ready(self) -> None:
        self._connection.publish(ready_topic(self._broker.topic), b"{}", 0)

    # In the thread that has the case

    def _store(self, on_piece: Callable[[Piece], None]) -> None:
        """Everything that came, in one transaction; then their probes are told."""
        last: dict[str, int] = {}
        new: dict[tuple[str, str, str], list[Heard]] = {}
        said: set[str] = set()
        for _ in range(self._came.qsize()):
            probe, payload = self._came.get_nowait()
            try:
                header, body = split(payload)
                held = self._queue_of(header, probe)
                said.add(header.queue)
                before = last.get(header.queue, held.last)
                if before < header.number <= max(before + 1, header.first):
                    last[header.queue] = header.number
                    heard = heard_from(body)
                    self._note_order(held, header, before, heard)
                    new.setdefault((header.queue, heard.source, heard.spot or self._spot), []).append(heard)
            except WireError as error:
                self.notes.say(f"Probe {probe}: {error}; it is left out.")
        try:
            self._append(new, last, on_piece)
        except CannotWriteNow:
            return  # their probes have them still, and send them again
        for name in said:
            held = self._queues[name]
            held.last = last.get(name, held.last)
            document = {"queue": name, "number": held.last}
            topic = stored_topic(self._broker.topic, held.probe)
            self._connection.publish(topic, json.dumps(document).encode())

    def _append(
        self,
        new: dict[tuple[str, str, str], list[Heard]],
        last: dict[str, int],
        on_piece: Callable[[Piece], None],
    ) -> None:
        parts, stored = [], []
        for (name, source, spot), heard in new.items():
            held = self._queues[name]
            take = held.takes.get((source, spot))
            if take is None:
                title = f"probe {held.probe} · {source}"
                number = self._case.begin_take(title, heard[0].kind, spot)
                take = held.takes[source, spot] = _Take(number, title, heard[0].kind)
            piece = joined([h.piece for h in heard])
            parts.append((take.number, piece, Input(last[name], held.digest)))
            stored.append((take, piece))
        if parts:
            self._case.append_all(parts, {self._queues[n].digest: self._queues[n].last for n in last})
        for take, piece in stored:
            take.is_stored = True
            take.records += piece.records
            take.skipped += piece.skipped
            take.bands.update(piece.swept_bands)
            on_piece(piece)

    def _queue_of(self, header: Header, probe: str) -> _Queue:
        """What is known of a queue; of one that is new here, what the case has of it."""
        held = self._queues.get(header.queue)
        if held is None:
            if len(self._queues) >= _MOST_PROBES:
                raise WireError(f"there are more than {_MOST_PROBES:,} probes")
            digest = blake3(header.queue.encode()).hexdigest()
            read = (r.octets for r in self._case.take_list.inputs().values() if r.digest == digest)
            held = self._queues[header.queue] = _Queue(probe, digest, max(read, default=0))
        held.probe = probe
        return held

    def _note_order(self, held: _Queue, header: Header, before: int, heard: Heard) -> None:
        """What a message says of those that are missing, and of the probe's clock."""
        take = held.takes.get((heard.source, heard.spot or self._spot))
        notes = take.notes if take is not None else self.notes
        missing = header.number - before - 1
        if missing > 0 and before > 0:
            notes.say(
                f"Probe {held.probe}: {missing:,} messages are missing here: its queue was full, or another case "
                "took them."
            )
        odd_s = header.made_s - time.time()
        if odd_s > _ODD_CLOCK_S or (not header.waiting and odd_s < -_ODD_CLOCK_S and not missing):
            notes.say(
                f"The clock of probe {held.probe} is {abs(odd_s):.0f} s {'ahead' if odd_s > 0 else 'behind'}: set it "
                "there."
            )

    def _finished(self) -> list[TakeResult]:
        results = []
        for held in self._queues.values():
            for take in held.takes.values():
                notes = tuple(printable(note) for note in (*take.notes, *self.notes))
                self._case.finish_take(take.number, tuple(sorted(take.bands)), notes, complete=True)
                results.append(
                    TakeResult(take.source, take.kind, take.records, take.skipped, notes, take.number)
                )
        if not results:
            raise KettleError(
                f"{self._broker.shown}: no probe sent anything. {' '.join(self.notes)} "
                f"On each of them runs: gray-kettle probe wifi: --to {'mqtts' if self._broker.is_tls else 'mqtt'}://…"
            )
        return results
