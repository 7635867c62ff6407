"""Checksums of the pages of the document store, which SQLite itself does not keep."""

from __future__ import annotations

import zlib
from pathlib import Path
from typing import NamedTuple

import numpy as np

from ..core import IndexStateError
from ..platform.storage import REBUILD, replace_bytes

_PAGE = 1 << 16
_WHOLE_UP_TO = 64_000_000  # bytes that are read through at each opening; it takes 50 ms
_SUM = np.dtype("<u4")
_HEAD = 16  # bytes: size and time of the file


class _Sums(NamedTuple):
    size: int
    modified_ns: int
    pages: bytes


class PageSums:
    """What a database file was like when a gather ended.

    A small file is read through whenever it is opened. A large one is when its size or time is
    not what it was, by every gather and by `check`.

    Parameters
    ----------
    path : Path
        The database.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._own = path.with_name(f"{path.name}.sums")

    def there(self) -> bool:
        """Whether there are checksums."""
        return self._own.exists()

    def drop(self) -> None:
        """Forget them: the file is about to change."""
        self._own.unlink(missing_ok=True)

    def take(self) -> None:
        """Take the checksums of the file as it is now."""
        pages = self._pages()
        status = self._path.stat()
        head = status.st_size.to_bytes(8, "little") + status.st_mtime_ns.to_bytes(8, "little")
        data = head + pages
        replace_bytes(self._own, data + zlib.crc32(data).to_bytes(4, "little"))
        self._own.chmod(status.st_mode & 0o777)  # who may read the one may read the other

    def verify(self, *, always: bool = False) -> None:
        """Compare the file with its checksums.

        Parameters
        ----------
        always : bool
            Also a large file that looks as it did.

        Raises
        ------
        IndexStateError
            It is not what a gather left behind.
        """
        sums = self._load()
        if sums is None:
            return
        status = self._path.stat()
        same = (status.st_size, status.st_mtime_ns) == (sums.size, sums.modified_ns)
        if same and not always and sums.size > _WHOLE_UP_TO:
            return
        if status.st_size == sums.size and self._pages() == sums.pages:
            return
        if self._load() == sums:  # else a gather ended just now, and took them anew
            raise _damaged(self._path, "its pages do not fit their checksums")

    def _pages(self) -> bytes:
        found = []
        with self._path.open("rb") as file:
            while page := file.read(_PAGE):
                found.append(zlib.crc32(page))
        return np.array(found, dtype=_SUM).tobytes()

    def _load(self) -> _Sums | None:
        try:
            data = self._own.read_bytes()
        except FileNotFoundError:
            return None
        except PermissionError as error:
            raise IndexStateError(
                "the index may not be read", str(self._own), "give this user permission to read it"
            ) from error
        body = data[:-4]
        if len(body) < _HEAD or zlib.crc32(body).to_bytes(4, "little") != data[-4:]:
            raise _damaged(self._own, "it does not fit its own checksum")
        return _Sums(
            int.from_bytes(body[:8], "little"), int.from_bytes(body[8:16], "little"), body[_HEAD:]
        )


def _damaged(path: Path, why: str) -> IndexStateError:
    return IndexStateError(f"the store of documents is damaged: {why}", str(path), REBUILD)
