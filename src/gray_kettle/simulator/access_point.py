"""Simulated access points of a site: RESTCONF with the OpenConfig model, on a port of this machine."""

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import unquote

from gray_kettle.phy.channels import all_channels
from gray_kettle.phy.countries import is_allowed
from gray_kettle.simulator.site import Site

_MODULE = "openconfig-access-points"
_DATA = f"/restconf/data/{_MODULE}:access-points"
_FREQUENCIES = {"2.4": "FREQ_2GHZ", "5": "FREQ_5GHZ", "6": "FREQ_6GHZ"}
_HOST_META = (
    '<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="/restconf"/></XRD>'
)
Box = tuple[
    str, list[tuple[str, int, int, list[tuple[str, str]]]]
]  # host, radios: band, channel, MHz, (SSID, BSSID)


class SimulatedAccessPoints:
    """Serves until closed. country: what a radio refuses. boxes: the model as it is served, changed by what is set."""

    def __init__(self, boxes: list[Box], country: str, port: int = 0) -> None:
        self.country, self._lock = country, threading.Lock()
        self.boxes = [_model(box) for box in boxes]
        self._server = ThreadingHTTPServer(("127.0.0.1", port), _handler(self))
        self._server.daemon_threads = True
        self.port = int(self._server.server_address[1])
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def __enter__(self) -> "SimulatedAccessPoints":
        return self

    def __exit__(self, *_: object) -> None:
        self._server.shutdown()
        self._server.server_close()

    def patch(self, path: str, body: Any) -> str:
        """Set one radio; why it is refused, "" when it is set."""
        with self._lock:
            radio = self.radio_at(path)
            wanted = body.get(f"{_MODULE}:config") if isinstance(body, dict) else None
            if radio is None or not isinstance(wanted, dict):
                return "there is no such radio"
            band = next(b for b, name in _FREQUENCIES.items() if name == radio["operating-frequency"])
            config = {**radio["config"], **wanted}
            if not any(
                (c.primary, c.width_mhz) == (config["channel"], config["channel-width"])
                and is_allowed(self.country, c)
                for c in all_channels(band)
            ):
                return f"channel {config['channel']} is not available with {config['channel-width']} MHz"
            radio["config"] = config
            return ""

    def radio_at(self, path: str) -> dict[str, Any] | None:
        for box in self.boxes:
            for radio in box["radios"]["radio"]:
                key = f"{radio['id']},{radio['operating-frequency']}"
                if path == f"{_DATA}/access-point={box['hostname']}/radios/radio={key}/config":
                    found: dict[str, Any] = radio
                    return found
        return None


def boxes_of(site: Site, time_s: float) -> list[Box]:
    """The own radios of a site, those of one name in one box."""
    found: dict[str, list[tuple[str, int, int, list[tuple[str, str]]]]] = {}
    for radio in site.radios:
        if radio.own:
            channel = radio.channel_at(time_s)
            names = [(n.ssid.decode(), n.bssid.hex(":")) for n in radio.networks]
            found.setdefault(radio.name, []).append((channel.band, channel.primary, channel.width_mhz, names))
    return list(found.items())


def _model(box: Box) -> dict[str, Any]:
    host, radios = box
    names: dict[str, list[dict[str, Any]]] = {}
    for number, (_, _, _, networks) in enumerate(radios):
        for ssid, bssid in networks:
            names.setdefault(ssid, []).append({"radio-id": number, "bssid": bssid})
    return {
        "hostname": host,
        "radios": {
            "radio": [
                {
                    "id": number,
                    "operating-frequency": _FREQUENCIES[band],
                    "config": {"channel": channel, "channel-width": width, "dca": True, "enabled": True},
                }
                for number, (band, channel, width, _) in enumerate(radios)
            ]
        },
        "ssids": {"ssid": [{"name": ssid, "bssids": {"bssid": found}} for ssid, found in names.items()]},
    }


def _mark(radio: dict[str, Any]) -> str:
    """The version of what a radio is set to."""
    config = radio["config"]
    return f'"{config["channel"]}-{config["channel-width"]}-{config["dca"]}"'


def _handler(points: SimulatedAccessPoints) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path == "/.well-known/host-meta":
                self._send(200, _HOST_META.encode(), "application/xrd+xml")
            elif unquote(self.path) == _DATA:
                self._json(200, {f"{_MODULE}:access-points": {"access-point": points.boxes}})
            elif radio := points.radio_at(unquote(self.path)):
                self._json(200, {f"{_MODULE}:config": radio["config"]}, _mark(radio))
            else:
                self._refuse(404, "invalid-value", "no such resource")

        def do_PATCH(self) -> None:
            try:
                body = json.loads(self.rfile.read(int(self.headers.get("Content-Length", 0))))
            except ValueError:
                self._refuse(400, "malformed-message", "this is not JSON")
                return
            radio = points.radio_at(unquote(self.path))
            if radio and self.headers.get("If-Match", _mark(radio)) != _mark(radio):
                self._refuse(412, "operation-failed", "it was changed since it was read")
                return
            why = points.patch(unquote(self.path), body)
            if why:
                self._refuse(400, "invalid-value", why)
            else:
                self._send(204, b"", "")

        def _refuse(self, status: int, tag: str, message: str) -> None:
            error = {"error-type": "application", "error-tag": tag, "error-message": message}
            self._json(status, {"ietf-restconf:errors": {"error": [error]}})

        def _json(self, status: int, answer: Any, mark: str = "") -> None:
            self._send(status, json.dumps(answer).encode(), "application/yang-data+json", mark)

        def _send(self, status: int, body: bytes, kind: str, mark: str = "") -> None:
            self.send_response(status)
            if mark:
                self.send_header("ETag", mark)
            if kind:
                self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: object) -> None:
            pass

    return Handler
