"""Reading and setting radios over RESTCONF (RFC 8040) in the OpenConfig access point model.

Of the model: access-points/access-point[hostname]/radios/radio[id operating-frequency]/config with channel,
channel-width and dca (automatic choice), and ssids/ssid[name]/bssids/bssid[radio-id bssid] to show whose radio it is.
"""

import time
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, urlsplit
from xml.etree import ElementTree

import httpx

from gray_kettle.errors import KettleError
from gray_kettle.model.device_change import DeviceSetting
from gray_kettle.safe_text import printable

_JSON = "application/yang-data+json"
_MODULE = "openconfig-access-points"
BANDS = {"FREQ_2GHZ": "2.4", "FREQ_5GHZ": "5", "FREQ_6GHZ": "6"}
_MOST_BYTES = 4_000_000
_TIMEOUT_S, _WHOLE_ANSWER_S = 10.0, 30.0
# Of a hostile answer also: numbers without end, and more depth than can be read.
_NO_SUCH_MODEL = (
    KeyError, IndexError, TypeError, AttributeError, ValueError, OverflowError, RecursionError,
)  # fmt: skip
_HERE = ("127.0.0.1", "localhost", "::1")


@dataclass(frozen=True)
class DeviceRadio:
    """A radio as an access point reports it."""

    host: str
    number: int
    frequency: str
    channel: int
    width_mhz: int
    automatic: bool
    bssids: frozenset[str]

    @property
    def band(self) -> str:
        return BANDS.get(self.frequency, "")

    @property
    def setting(self) -> DeviceSetting:
        return DeviceSetting(self.channel, self.width_mhz, self.automatic)


class Restconf:
    """One access point, or the controller of several. Close it after use.

    Raises: KettleError, from every call, when it cannot be reached, refuses, or answers what is no such model.
    """

    def __init__(self, address: str, user: str = "", password: str = "") -> None:
        wrong = f"“{printable(address)}” is not the address of an access point: write https://HOST:PORT."
        try:
            parts = urlsplit(address)
            _ = parts.port
        except ValueError:  # brackets that do not close, ports that do not exist
            raise KettleError(wrong) from None
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise KettleError(wrong)
        if parts.username or parts.password:  # it would be shown with the address
            raise KettleError("Name the user with --user; the password is in a variable, see --help.")
        if user and parts.scheme == "http" and parts.hostname not in _HERE:
            raise KettleError("The password would travel open over http: write https://HOST:PORT.")
        self._base = f"{parts.scheme}://{parts.netloc}"
        self._http = httpx.Client(
            timeout=_TIMEOUT_S,
            auth=(user, password) if user else None,
            headers={"Accept": _JSON, "Accept-Encoding": "identity"},
        )
        self._root = ""

    def __enter__(self) -> "Restconf":
        return self

    def __exit__(self, *_: object) -> None:
        self._http.close()

    def radios(self) -> tuple[DeviceRadio, ...]:
        """All radios, in the order in which it reports them."""
        answer = self._ask("GET", f"{self._data()}/{_MODULE}:access-points")
        try:
            hosts = answer.json()[f"{_MODULE}:access-points"]["access-point"]
            return tuple(radio for host in hosts for radio in _radios_of(host))
        except _NO_SUCH_MODEL as error:
            raise KettleError(
                f"{self._base} did not answer with a list of access points ({error!r})."
            ) from error

    def request_for(self, radio: DeviceRadio, setting: DeviceSetting) -> tuple[str, dict[str, Any]]:
        """(path, body) of the request that sets a radio: what `set_channel` sends."""
        path = (
            f"{self._data()}/{_MODULE}:access-points/access-point={quote(radio.host, safe='')}"
            f"/radios/radio={radio.number},{quote(radio.frequency, safe='')}/config"
        )
        config = {
            "channel": setting.channel,
            "channel-width": setting.width_mhz,
            "dca": setting.is_automatic,
        }
        return path, {f"{_MODULE}:config": config}

    def set_channel(self, radio: DeviceRadio, setting: DeviceSetting) -> None:
        """Set one radio; refused where somebody changed it since it was read."""
        path, body = self.request_for(radio, setting)
        answer = self._ask("GET", path)
        try:
            now = DeviceSetting(*_setting_of(answer.json()[f"{_MODULE}:config"]))
        except _NO_SUCH_MODEL as error:
            raise KettleError(f"{self._base} did not answer with a radio ({error!r}).") from error
        if now != radio.setting:
            raise KettleError("somebody changed it since it was read. Read it again.")
        # Its version goes along, so that a change between these two requests is not lost either.
        mark = answer.headers.get("ETag", "")
        headers = {"Content-Type": _JSON} | ({"If-Match": mark} if mark else {})
        self._ask("PATCH", path, json=body, headers=headers)

    def _data(self) -> str:
        """Where the data are: the device says so in its host-meta (RFC 8040, 3.1)."""
        if not self._root:
            answer = self._ask("GET", "/.well-known/host-meta", headers={"Accept": "application/xrd+xml"})
            try:
                links = ElementTree.fromstring(answer.content).iter()
                found = [link.get("href", "") for link in links if link.get("rel") == "restconf"]
            except ElementTree.ParseError as error:
                raise KettleError(f"{self._base} does not name its RESTCONF root ({error}).") from error
            if not found or not found[0].startswith("/"):
                raise KettleError(f"{self._base} does not report RESTCONF support.")
            self._root = found[0].rstrip("/")
        return f"{self._root}/data"

    def _ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        until_s = time.monotonic() + _WHOLE_ANSWER_S
        try:
            with self._http.stream(method, self._base + path, **more) as known:
                # Nothing is unpacked: a few bytes may become gigabytes at once.
                if known.headers.get("content-encoding", "identity") != "identity":
                    raise KettleError(f"{self._base} sent a packed answer, which was not asked for.")
                content = bytearray()
                for part in known.iter_raw():
                    content += part
                    if len(content) > _MOST_BYTES:
                        raise KettleError(f"{self._base} sent an answer that is too large.")
                    if time.monotonic() > until_s:
                        raise KettleError(f"{self._base} took too long to answer.")
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise KettleError(f"{self._base} cannot be reached: {printable(str(error))}.") from error
        headers = {k: v for k, v in known.headers.items() if k != "content-length"}
        answer = httpx.Response(
            known.status_code,
            headers=headers,
            content=bytes(content),
            extensions={"reason_phrase": known.reason_phrase.encode()},
        )
        if answer.is_success:
            return answer
        raise KettleError(f"{self._base} refused ({answer.status_code}): {_why(answer)}")


def _why(answer: httpx.Response) -> str:
    """The error message of RFC 8040, 7.1, or what HTTP calls it."""
    try:
        known = answer.json()["ietf-restconf:errors"]["error"][0]
        return printable(str(known.get("error-message") or known["error-tag"]))
    except _NO_SUCH_MODEL:
        if answer.status_code == httpx.codes.PRECONDITION_FAILED:
            return "somebody changed it since it was read. Read it again."
        return printable(answer.reason_phrase or "no reason given")


def _setting_of(config: Any) -> tuple[int, int, bool]:
    """Channel, width in MHz, and whether the device chooses by itself."""
    return int(config.get("channel", 0)), int(config.get("channel-width", 20)), bool(config.get("dca", False))


def _radios_of(host: Any) -> list[DeviceRadio]:
    heard: dict[int, set[str]] = {}
    for ssid in host.get("ssids", {}).get("ssid", []):
        for one in ssid.get("bssids", {}).get("bssid", []):
            heard.setdefault(int(one["radio-id"]), set()).add(str(one["bssid"]).lower())
    return [
        DeviceRadio(
            str(host["hostname"]),
            int(radio["id"]),
            str(radio["operating-frequency"]).rpartition(":")[2],
            *_setting_of(radio.get("config", {})),
            frozenset(heard.get(int(radio["id"]), ())),
        )
        for radio in host["radios"]["radio"]
    ]
