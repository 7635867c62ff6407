"""A sorted table of terms, looked up on disk without being loaded."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import cached_property
from pathlib import Path

import numpy as np

from .arrays import Array, CheckedArray, checked_array, map_array, save_array


class TermTable:
    """Terms in byte order, each with its number.

    Parameters
    ----------
    letters : array of uint8
        All terms in UTF-8, one after another. Of the index, they are checked whole when
        a term is first looked up.
    offsets : array of int64, shape (n + 1,)
        Where each begins.
    """

    def __init__(self, letters: Array | CheckedArray, offsets: Array | CheckedArray) -> None:
        self._stored = (letters, offsets)
        self._size = len(offsets) - 1

    @cached_property
    def _letters(self) -> Array:
        return np.asarray(self._stored[0])

    @cached_property
    def _offsets(self) -> Array:
        return np.asarray(self._stored[1])

    @classmethod
    def of(cls, terms: Sequence[str]) -> TermTable:
        """A table of terms that are already in byte order."""
        encoded = [term.encode("utf-8", "surrogatepass") for term in terms]
        offsets = np.zeros(len(encoded) + 1, dtype=np.int64)
        np.cumsum([len(term) for term in encoded], out=offsets[1:])
        return cls(np.frombuffer(b"".join(encoded), dtype=np.uint8), offsets)

    @classmethod
    def load(cls, folder: Path, name: str = "terms", *, shipped: bool = False) -> TermTable:
        """Map a table from a folder; one that ships with the package has no checksums."""
        read = map_array if shipped else checked_array
        return cls(read(folder / f"{name}.letters.npy"), read(folder / f"{name}.offsets.npy"))

    def save(self, folder: Path, name: str = "terms") -> None:
        """Write the table into a folder."""
        save_array(folder / f"{name}.letters.npy", self._letters)
        save_array(folder / f"{name}.offsets.npy", self._offsets)

    def __len__(self) -> int:
        return self._size

    def _bytes(self, number: int) -> bytes:
        start, end = self._offsets[number : number + 2].tolist()
        return self._letters[start:end].tobytes()

    def at(self, number: int) -> str:
        """The term of a number."""
        return self._bytes(number).decode("utf-8", "surrogatepass")

    def raw(self) -> tuple[Array, Array]:
        """All terms' letters in UTF-8, and where each term begins; the end is the last."""
        return self._letters, self._offsets

    def find(self, term: str) -> int:
        """The number of a term, or minus one.

        Examples
        --------
        >>> TermTable.of(["berth", "quay"]).find("quay")
        1
        """
        wanted = term.encode("utf-8", "surrogatepass")
        low = self._first_from(wanted)
        return low if low < len(self) and self._bytes(low) == wanted else -1

    def beginning_with(self, letter: str) -> tuple[int, int]:
        """The numbers of the terms that begin with a letter, as a half-open range.

        Examples
        --------
        >>> TermTable.of(["berth", "boat", "quay"]).beginning_with("b")
        (0, 2)
        """
        first = letter.encode("utf-8", "surrogatepass")
        # No byte of UTF-8 is 255: it comes after whatever may follow the letter.
        return self._first_from(first), self._first_from(first + b"\xff")

    def _first_from(self, wanted: bytes) -> int:
        """The number of the first term that is not before some bytes."""
        low, high = 0, len(self)
        while low < high:
            middle = (low + high) // 2
            if self._bytes(middle) < wanted:
                low = middle + 1
            else:
                high = middle
        return low

    def all(self) -> list[str]:
        """Every term, in order."""
        letters = self._letters.tobytes()
        bounds = self._offsets.tolist()
        return [
            letters[a:b].decode("utf-8", "surrogatepass") for a, b in itertools.pairwise(bounds)
        ]


def byte_order(term: str) -> bytes:
    """The sort key of the table."""
    return term.encode("utf-8", "surrogatepass")
