"""Hardware addresses in place of others, one to one, so that everything that is computed from them stays the same.

What the analysis reads of an address stays: whether it is local or of a group, which addresses are of one radio (they
differ in the low nibble or the first octet), and which radios are of one box (they differ in the last two octets).
Source: docs/formats.md, "Masked output".
"""

from blake3 import blake3

from gray_kettle.model.addresses import with_colons

_FLAGS = 0x03  # local, group
_HALF, _ROUNDS = 12, 6
_NO_ADDRESS = (0, (1 << 48) - 1)


class AddressMask:
    """A permutation of all addresses under a secret. keeps_maker: the first three octets stay."""

    def __init__(self, secret: bytes, keeps_maker: bool = False) -> None:
        self._key = blake3(secret, derive_key_context="gray-kettle addresses").digest()
        self._keeps_maker = keeps_maker
        self._known: dict[int, int] = {}

    def text(self, address: str) -> str:
        """An address of any notation, in lower case with colons."""
        return with_colons(f"{self.number(int(with_colons(address).replace(':', ''), 16)):012x}")

    def number(self, address: int) -> int:
        """The same for a 48-bit number."""
        if address not in self._known:
            self._known[address] = self._masked(address)
        return self._known[address]

    def _masked(self, address: int) -> int:
        if address in _NO_ADDRESS:
            return address
        first, middle = address >> 40, address >> 16 & 0xFFFFFF
        fifth, last = address >> 8 & 0xFF, address & 0xFF
        if self._keeps_maker:
            maker = middle >> 8
            masked = maker << 8 | (middle & 0xFF ^ self._word(b"fourth", maker) & 0xFF)
        else:
            first ^= self._word(b"first", 0) & 0xFF & ~_FLAGS
            masked = self._permuted(middle)
        # Neighbours stay neighbours: one number is added to the fifth octet of all that share the three before it.
        fifth = fifth + self._word(b"fifth", middle) & 0xFF
        return first << 40 | masked << 16 | fifth << 8 | last

    def _permuted(self, value: int) -> int:
        """Luby and Rackoff's construction over 24 bits."""
        low_mask = (1 << _HALF) - 1
        high, low = value >> _HALF, value & low_mask
        for number in range(_ROUNDS):
            high, low = low, high ^ self._word(b"round%d" % number, low) & low_mask
        return high << _HALF | low

    def _word(self, use: bytes, value: int) -> int:
        digest = blake3(use + value.to_bytes(6), key=self._key).digest(length=8)
        return int.from_bytes(digest)
