"""Which addresses and names are replaced, and the replacement in texts. Source: docs/formats.md, "Masked output"."""

import base64
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from blake3 import blake3

from gray_kettle.masking.addresses import AddressMask
from gray_kettle.model.addresses import ADDRESS, with_colons
from gray_kettle.safe_text import HIDDEN_NAME, is_hidden, network_name

_HOST = re.compile(r"(?<=://)[^/\s?#]+|(?<![\d.])\d{1,3}(?:\.\d{1,3}){3}(?![\d.])")
_FOLDER = re.compile(r"(?<![\w:/\\.])(?:~|[A-Za-z]:)?[\\/](?:[^\\/\s]+[\\/])*(?=[^\\/\s])")
_NAME_LETTERS, _NAME_BYTES = 6, 5
_SHORTEST_NAME = 3  # a shorter one is replaced where it is a name, not where a text may hold it by chance
Scope = Literal["clients", "all"]


@dataclass(frozen=True)
class MaskOptions:
    """scope: addresses of clients with the names of devices, or all addresses and foreign names too.

    keeps_maker: the first three octets of addresses stay.
    """

    scope: Scope = "all"
    keeps_maker: bool = False


class Masking:
    """Replaces identities the same way wherever they are, as long as the secret is the same.

    bssids: addresses of access points, which scope "clients" keeps. foreign_names: SSIDs of networks that are not ours.
    device_names: of clients and of foreign access points.
    """

    def __init__(
        self,
        secret: bytes,
        options: MaskOptions,
        bssids: Iterable[str],
        foreign_names: Iterable[bytes],
        device_names: Iterable[str],
    ) -> None:
        self.options = options
        self._key = blake3(secret, derive_key_context="gray-kettle names").digest()
        self._addresses = AddressMask(secret, options.keeps_maker)
        self._kept = frozenset(bssids) if options.scope == "clients" else frozenset[str]()
        self._foreign = frozenset(foreign_names) if options.scope == "all" else frozenset[bytes]()
        spelled = {
            network_name(name): self.ssid(name).decode() for name in self._foreign if not is_hidden(name)
        }
        spelled |= {name: self.device_name(name) for name in device_names if name}
        spelled.pop(HIDDEN_NAME, None)
        self._spelled = spelled
        found = sorted((n for n in spelled if len(n) >= _SHORTEST_NAME), key=len, reverse=True)
        self._names = re.compile("|".join(map(_as_word, found))) if found else None

    @property
    def hides_all(self) -> bool:
        return self.options.scope == "all"

    def address(self, address: str) -> str:
        """An address in lower case with colons; "" stays."""
        return address if not address or address in self._kept else self._addresses.text(address)

    def number(self, address: int) -> int:
        """The same for a 48-bit number."""
        if self._kept and with_colons(f"{address:012x}") in self._kept:
            return address
        return self._addresses.number(address)

    def ssid(self, name: bytes) -> bytes:
        """A foreign name as a made-up one; those of ours and hidden ones stay."""
        if name not in self._foreign or is_hidden(name):
            return name
        return b"network " + self._token(name).encode()

    def device_name(self, name: str) -> str:
        return f"device {self._token(name.encode())}" if name else ""

    def name(self, name: str) -> str:
        """A name that stands alone."""
        return self._spelled.get(name, name)

    def text(self, text: str) -> str:
        """Free text, with addresses, foreign names, hosts and folders in it replaced."""
        text = self._spelled.get(text, text)
        text = ADDRESS.sub(lambda found: self.address(with_colons(found[0])), text)
        if self.hides_all:
            text = _HOST.sub("host", text)
            text = _FOLDER.sub("", text)
        if self._names is not None:
            text = self._names.sub(lambda found: self._spelled[found[0]], text)
        return text

    def source(self, source: str) -> str:
        """Where a take came from: the last part of a path, or a scheme without its host."""
        if self.hides_all and "://" not in source:
            source = re.split(r"[\\/]", source)[-1]
        return self.text(source)

    def _token(self, name: bytes) -> str:
        digest = blake3(name, key=self._key).digest(length=_NAME_BYTES)
        return base64.b32encode(digest).decode().lower()[:_NAME_LETTERS]


def _as_word(name: str) -> str:
    """Not within another word."""
    before = r"(?<!\w)" if name[0].isalnum() else ""
    after = r"(?!\w)" if name[-1].isalnum() else ""
    return before + re.escape(name) + after
