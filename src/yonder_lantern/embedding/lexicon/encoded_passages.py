"""Passages that an encoder has seen: their vectors, found by their text."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ...platform.storage import Array, StoredArray, checked_array, save_array

_KEYS, _ROWS = "seen_keys.npy", "seen_rows.npy"


@dataclass(frozen=True, slots=True)
class SeenPassages:
    """Vectors of passages in the space of a lexicon that was adapted to them.

    Attributes
    ----------
    keys : uint64 array, ascending
        Hashes of their texts.
    rows : float16 array, shape (passages, dimensions)
    """

    keys: Array
    rows: StoredArray

    @classmethod
    def of(cls, texts: Sequence[str], vectors: Array) -> SeenPassages:
        """Passages with their vectors."""
        keys, first = np.unique(_keys(texts), return_index=True)
        return cls(keys, vectors[first].astype(np.float16))

    def put(self, texts: Sequence[str], vectors: Array) -> None:
        """Put the vectors of those texts that were seen in place of others."""
        if not len(self.keys):
            return
        keys = _keys(texts)
        positions = np.minimum(np.searchsorted(self.keys, keys), len(self.keys) - 1)
        known = self.keys[positions] == keys
        vectors[known] = self.rows[positions[known]]

    def save(self, folder: Path) -> None:
        """Write them into a folder."""
        save_array(folder / _KEYS, self.keys)
        save_array(folder / _ROWS, np.asarray(self.rows))

    @classmethod
    def load(cls, folder: Path) -> SeenPassages | None:
        """Map them from a folder; None where it has none."""
        if not (folder / _KEYS).exists():
            return None
        return cls(checked_array(folder / _KEYS).whole(), checked_array(folder / _ROWS))


def _keys(texts: Sequence[str]) -> Array:
    hashes = (hashlib.sha256(text.encode("utf-8", "surrogatepass")).digest()[:8] for text in texts)
    return np.frombuffer(b"".join(hashes), dtype=">u8").astype(np.uint64)
