"""The probe's side: sends what its queue holds, and keeps each message until a case has stored it."""

import json
import logging
import sqlite3
import threading
import time

from gray_kettle.collect.live.source import IsCancelled, wait
from gray_kettle.collect.probe.broker import Broker, Connection
from gray_kettle.collect.probe.queue import ProbeQueue
from gray_kettle.collect.probe.topics import pieces_topic, ready_topic, stored_topic
from gray_kettle.collect.probe.wire import FORMAT, Header, message

_WINDOW = 200  # messages that are on their way at a time
_STALLED_S, _LONGEST_STALL_S = 4.0, 60.0  # without a word of a case: begin again, with one message
_PAUSE_S, _TROUBLE_S = 0.05, 2.0
_LOGGER = logging.getLogger(__name__)


class Publisher:
    """Sends a queue through a broker, in a thread of its own, from `open` to `close`."""

    def __init__(self, broker: Broker, name: str, queue: ProbeQueue) -> None:
        self._queue, self._topic = queue, pieces_topic(broker.topic, name)
        topics = (stored_topic(broker.topic, name), ready_topic(broker.topic))
        self.connection = Connection(broker, topics, self._said, self._begin_again)
        self._ready_topic = topics[1]
        self._lock = threading.Lock()
        self._sent = self._stored = 0  # numbers
        self._round = 0  # counts how often it began again
        self._window, self._stall_s, self._word_s = _WINDOW, _STALLED_S, time.monotonic()
        self._is_over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="probe", daemon=True)

    def open(self) -> None:
        self.connection.open()
        self._thread.start()

    def close(self) -> None:
        self._is_over.set()
        self._thread.join()
        self.connection.close()

    @property
    def waiting(self) -> int:
        """Messages that no case has confirmed."""
        first, last = self._queue.extent()
        return last - first + 1

    def drain(self, seconds: float, is_cancelled: IsCancelled) -> None:
        """Wait until everything is stored, so long at most."""
        until_s = time.monotonic() + seconds
        while self.waiting and time.monotonic() < until_s and not is_cancelled():
            wait(_PAUSE_S, is_cancelled)

    def _begin_again(self) -> None:
        """A connection, or a case, is new: what it did not get is sent (again)."""
        with self._lock:
            self._sent, self._window, self._stall_s = 0, _WINDOW, _STALLED_S
            self._round += 1
            self._word_s = time.monotonic()

    def _said(self, topic: str, payload: bytes) -> None:
        if topic == self._ready_topic:
            self._begin_again()
            return
        try:
            document = json.loads(payload)
            is_ours = isinstance(document, dict) and document.get("queue") == self._queue.id
            number = document["number"] if is_ours else None
        except (ValueError, KeyError, RecursionError):
            return
        if type(number) is int and number <= self._queue.extent()[1]:
            with self._lock:
                self._stored = max(self._stored, number)
                self._window, self._stall_s, self._word_s = _WINDOW, _STALLED_S, time.monotonic()

    def _run(self) -> None:
        pause_s = 0.0
        while not self._is_over.wait(pause_s):
            try:
                pause_s = 0.0 if self._step() else _PAUSE_S
            except sqlite3.Error:  # a full disk: what was confirmed cannot be deleted yet
                _LOGGER.exception("queue")
                pause_s = _TROUBLE_S

    def _step(self) -> bool:
        """Send some; whether there may be more at once."""
        with self._lock:
            stored, sent = self._stored, self._sent
            is_stalled = time.monotonic() - self._word_s > self._stall_s
            if sent > stored and is_stalled:  # nobody stores: ask with one message, ever less often
                self._sent = sent = stored
                self._window, self._stall_s = 1, min(2 * self._stall_s, _LONGEST_STALL_S)
                self._word_s = time.monotonic()
            window, round_ = self._window, self._round
        self._queue.stored(stored)
        if not self.connection.is_ready.is_set():
            return False
        first, last = self._queue.extent()
        sent = max(sent, first - 1)
        free = window - (sent - first + 1)
        went = 0
        for number, made_s, body in self._queue.after(sent, min(free, _WINDOW)) if free > 0 else ():
            header = Header(
                format=FORMAT,
                queue=self._queue.id,
                number=number,
                first=first,
                waiting=max(last - number, 0),
                made_s=made_s,
            )
            if not self.connection.publish(self._topic, message(header, body)):
                break
            went = number
        with self._lock:
            if went and self._round == round_:
                if sent == first - 1:
                    self._word_s = time.monotonic()
                self._sent = went
        return went > 0
