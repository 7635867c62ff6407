"""Vectors that were worked out before, so that nothing is embedded twice."""

from __future__ import annotations

import hashlib
import logging
import sqlite3
import zlib
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

import numpy as np

from ..core import Cancel, CancelledError, Progress
from ..platform.storage import Array, is_damage, open_private, private_folder, set_aside

_LOG = logging.getLogger("yonder_lantern.embedding")
_SCHEMA = (
    "CREATE TABLE IF NOT EXISTS checked (key BLOB PRIMARY KEY, vector BLOB, checksum INTEGER) "
    "WITHOUT ROWID"
)
_SELECT = "SELECT vector, checksum FROM checked WHERE key = ?"
_INSERT = "INSERT OR REPLACE INTO checked VALUES (?, ?, ?)"
_AT_ONCE = 256  # texts that are embedded before they are kept: an interruption loses no more


class VectorCache:
    """Vectors in a file of their own, one for each embedding, by the hash of the text.

    Parameters
    ----------
    folder : Path
        Made when missing.
    hash_ : str
        Of the embedding: its weights and whatever else its vectors depend on.
    dimensions : int
    dtype : str, default "<f4"
        Of the numbers as they are kept.
    """

    def __init__(self, folder: Path, hash_: str, dimensions: int, dtype: str = "<f4") -> None:
        private_folder(folder)
        self._path = folder / f"{hash_}.sqlite"
        self._dimensions = dimensions
        self._dtype = np.dtype(dtype)
        self._checked = False

    def vectors(
        self,
        texts: Iterable[str],
        embed: Callable[[Sequence[str]], Array],
        progress: Progress,
        cancel: Cancel,
        before: Callable[[Sequence[str]], None] | None = None,
    ) -> Array:
        """The vectors of texts; those not known yet are worked out and kept.

        Parameters
        ----------
        texts : iterable of str
        embed : callable
            Gives float32 vectors of some texts.
        progress, cancel
            Told and looked at between portions; what was done before stays.
        before : callable, optional
            Told all texts that have to be worked out, before the first is.
        """
        wanted = list(texts)
        keys = [_key(text) for text in wanted]
        found = np.zeros((len(wanted), self._dimensions), dtype=np.float32)
        connection = self._open()
        try:
            missing: dict[bytes, list[int]] = {}
            for at, key in enumerate(keys):
                row = connection.execute(_SELECT, (key,))
                kept = row.fetchone()
                if kept is not None and self._is_whole(*kept):
                    found[at] = np.frombuffer(kept[0], dtype=self._dtype)
                else:
                    missing.setdefault(key, []).append(at)
            # In order of length: what is embedded together should be about equally long.
            order = sorted(missing, key=lambda key: (len(wanted[missing[key][0]]), key))
            if order and before is not None:
                before([wanted[missing[key][0]] for key in order])
            for start in range(0, len(order), _AT_ONCE):
                progress("embedding", start, len(order))
                if cancel.is_set():
                    raise CancelledError("interrupted while embedding")
                part = order[start : start + _AT_ONCE]
                vectors = embed([wanted[missing[key][0]] for key in part])
                connection.execute("BEGIN")
                for key, vector in zip(part, vectors, strict=True):
                    kept_as = vector.astype(self._dtype)  # the same now as when it is read again
                    data = kept_as.tobytes()
                    connection.execute(_INSERT, (key, data, zlib.crc32(data)))
                    found[missing[key]] = kept_as
                connection.execute("COMMIT")
        finally:
            connection.close()
        return found

    def _open(self) -> sqlite3.Connection:
        """The file's database; one that is damaged is begun anew."""
        for attempt in (1, 2):
            open_private(self._path, "ab").close()
            connection = sqlite3.connect(self._path, isolation_level=None)
            try:
                connection.execute("PRAGMA journal_mode=WAL")
                connection.execute(_SCHEMA)
                if self._checked or connection.execute("PRAGMA quick_check").fetchone() == ("ok",):
                    self._checked = True
                    return connection
                why = "its pages do not fit together"
            except sqlite3.DatabaseError as error:
                if attempt == 2 or not is_damage(error):
                    connection.close()
                    raise
                why = str(error)
            connection.close()
            _LOG.warning("%s is damaged (%s): its vectors are made anew", self._path, why)
            set_aside(self._path)
        raise AssertionError("the second attempt returns or raises")

    def _is_whole(self, data: bytes, checksum: int) -> bool:
        return len(data) == self._dtype.itemsize * self._dimensions and zlib.crc32(data) == checksum


def _key(text: str) -> bytes:
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).digest()[:16]
