"""The broker between probes and a case: its address, and a connection that comes back by itself."""

import os
import socket
import ssl
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion, MQTTErrorCode
from paho.mqtt.reasoncodes import ReasonCode
from paho.mqtt.subscribeoptions import SubscribeOptions

from gray_kettle.collect.live.uri import Uri
from gray_kettle.collect.probe.wire import MOST_BYTES
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

PASSWORD_VARIABLE = "GRAY_KETTLE_MQTT_PASSWORD"
EXAMPLE = "mqtt://broker.example/site"
_PORTS = {"mqtt": 1883, "mqtts": 8883}
_KEEP_ALIVE_S, _TRIAL_S = 20, 4.0
_RETRY_S = (1, 8)
_LONGEST_TOPIC = 200
_IN_FLIGHT = 400
_DENIED = frozenset({"Bad user name or password", "Not authorized", "Bad authentication method", "Banned"})

_UNTRUSTED = "its certificate is not trusted"


@dataclass(frozen=True)
class Broker:
    """Where it is. topic: that all probes of a site share. ca: a file of certificates, "" for those of the system."""

    host: str
    port: int
    topic: str
    user: str = ""
    password: str = ""
    is_tls: bool = False
    ca: str = ""
    version: int = 5

    @property
    def shown(self) -> str:
        return f"{printable(self.host)}:{self.port}/{printable(self.topic)}"


def broker_of(uri: Uri, environment: Mapping[str, str] = os.environ) -> Broker:
    """`mqtt://[user@]host[:port]/topic`, or mqtts:// with TLS; ?ca=FILE, ?version=3. The password comes from the
    environment, where no list of processes shows it. Raises: KettleError, where it is none.
    """
    uri.refuse_unknown("ca", "version")
    try:
        found = urlsplit(f"{uri.scheme}:{uri.rest}")
        port = found.port or _PORTS[uri.scheme]
    except ValueError as error:
        raise KettleError(f"{uri.shown}: {error}.") from error
    topic = unquote(found.path).strip("/")
    if found.password is not None:
        raise KettleError(
            f"{uri.scheme}://{printable(found.hostname or '')}: a password is not given in a command line: "
            f"set it as {PASSWORD_VARIABLE}."
        )
    is_topic = topic and not any(sign in uri.rest for sign in "+#\0") and len(topic) <= _LONGEST_TOPIC
    if not found.hostname or not is_topic:
        raise KettleError(f"{uri.shown}: write the broker and a topic, for example {EXAMPLE}.")
    ca, version = uri.options.get("ca", ""), uri.options.get("version", "5")
    if ca and not Path(ca).is_file():
        raise KettleError(f"{uri.shown}: there is no file {printable(ca)}.")
    if version not in ("3", "5"):
        raise KettleError(f"{uri.shown}: version is 3 or 5.")
    return Broker(
        found.hostname,
        port,
        topic,
        unquote(found.username or ""),
        environment.get(PASSWORD_VARIABLE, ""),
        uri.scheme == "mqtts",
        ca,
        int(version),
    )


class Connection:
    """One client of a broker, with a thread of its own. Lost connections are made again.

    subscriptions: what is asked for, each time anew. on_message: called with (topic, payload), on_ready: when the
    subscriptions count; both in the client's thread.
    """

    def __init__(
        self,
        broker: Broker,
        subscriptions: tuple[str, ...],
        on_message: Callable[[str, bytes], None],
        on_ready: Callable[[], None],
    ) -> None:
        self._broker, self._on_ready = broker, on_ready
        self._subscriptions = subscriptions
        self.is_ready = threading.Event()
        self.refusal = ""  # why the broker, or the way to it, says no; "" while connected
        client = self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, protocol=mqtt.MQTTv5 if broker.version == 5 else mqtt.MQTTv311
        )
        if broker.user:
            client.username_pw_set(broker.user, broker.password or None)
        self._tls: ssl.SSLContext | None = None
        if broker.is_tls:
            try:
                self._tls = ssl.create_default_context(cafile=broker.ca or None)
                client.tls_set_context(self._tls)
            except (OSError, ssl.SSLError) as error:
                raise KettleError(f"{printable(broker.ca)} holds no certificates: {error}.") from error
        client.reconnect_delay_set(*_RETRY_S)
        client.max_inflight_messages_set(_IN_FLIGHT)
        client.on_connect, client.on_connect_fail = self._connected, self._failed
        client.on_disconnect, client.on_subscribe = self._lost, self._subscribed
        client.on_message = lambda _client, _data, message: (
            on_message(message.topic, bytes(message.payload)) if len(message.payload) <= MOST_BYTES else None
        )

    def open(self) -> None:
        """Begin to connect, for as long as it takes."""
        self._client.connect_async(self._broker.host, self._broker.port, _KEEP_ALIVE_S)
        self._client.loop_start()

    def close(self) -> None:
        self._client.disconnect()
        self._client.loop_stop()

    def publish(self, topic: str, payload: bytes, quality: int = 1) -> bool:
        """Whether the message is on its way. It need not arrive."""
        return self._client.publish(topic, payload, quality).rc == MQTTErrorCode.MQTT_ERR_SUCCESS

    def _connected(
        self, client: mqtt.Client, _data: Any, _flags: Any, reason: ReasonCode, _more: Any
    ) -> None:
        if reason.is_failure:
            self.refusal = _sentence(str(reason))
            return
        self.refusal = ""
        if self._broker.version == 5:
            client.subscribe([(topic, SubscribeOptions(1)) for topic in self._subscriptions])
        else:
            client.subscribe([(topic, 1) for topic in self._subscriptions])

    def _subscribed(
        self, _client: Any, _data: Any, _number: int, reasons: list[ReasonCode], _more: Any
    ) -> None:
        if any(reason.is_failure for reason in reasons):
            self.refusal = "its rules do not allow this topic"
            return
        self.is_ready.set()
        self._on_ready()

    def _failed(self, _client: Any, _data: Any) -> None:
        self.refusal = self._why_unreachable()

    def _why_unreachable(self) -> str:
        """The client does not say: try the way by hand."""
        where = self._broker.host, self._broker.port
        try:
            with socket.create_connection(where, _TRIAL_S) as plain:
                if self._tls is not None:
                    self._tls.wrap_socket(plain, server_hostname=self._broker.host).close()
        except ssl.SSLCertVerificationError as error:
            return f"{_UNTRUSTED} ({error.verify_message}); ?ca=FILE names one that is"
        except OSError as error:
            return f"it cannot be reached ({error.strerror or error})"
        return "it cannot be reached"

    def _lost(self, _client: Any, _data: Any, _flags: Any, reason: ReasonCode, _more: Any) -> None:
        self.is_ready.clear()
        if reason.is_failure and not self.refusal:
            self.refusal = "the connection was lost"

    @property
    def is_denied(self) -> bool:
        """Whether trying again helps nothing."""
        return self.refusal in map(_sentence, _DENIED) or self.refusal.startswith(_UNTRUSTED)


def _sentence(reason: str) -> str:
    return f"it says “{printable(reason)}”"
