"""A digest of an input that keeps up with reading it.

A cryptographic digest of every byte would take as long as all of the decoding. This one adds up the 64-bit words of
each page and takes the cryptographic digest of the sums: what differs by accident differs in it, and nothing hangs
on its being hard to forge.
"""

from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

_PAGE_WORDS = 512
_PAGE_BYTES = 8 * _PAGE_WORDS


class Digest:
    """Fed with parts of any length; the same bytes give the same digest however they were cut."""

    def __init__(self) -> None:
        self._sums = blake2b(digest_size=16)
        self._rest = np.zeros(0, np.uint8)  # less than a page

    def update(self, part: NDArray[np.uint8]) -> None:
        if len(self._rest):
            missing = _PAGE_BYTES - len(self._rest)
            first = np.concatenate([self._rest, part[:missing]])
            if len(first) < _PAGE_BYTES:
                self._rest = first
                return
            self._add(first)
            part = part[missing:]
        whole = len(part) - len(part) % _PAGE_BYTES
        self._add(part[:whole])
        self._rest = part[whole:].copy()

    def _add(self, pages: NDArray[np.uint8]) -> None:
        words = np.ndarray((len(pages) // _PAGE_BYTES, _PAGE_WORDS), "<u8", buffer=pages)
        self._sums.update(words.sum(axis=1, dtype=np.uint64).astype("<u8").tobytes())

    def hexdigest(self) -> str:
        """Of all that was fed so far."""
        end = self._sums.copy()
        end.update(self._rest.tobytes())
        return end.hexdigest()
