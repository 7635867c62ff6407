"""Locks of the operating system: they end with the process that holds them."""

from __future__ import annotations

import fcntl
from pathlib import Path

from .files import open_private


class FileLock:
    """A lock on a file, shared or exclusive, held until released.

    Parameters
    ----------
    path : Path
        Created when missing.
    shared : bool
        Several may hold a shared lock; an exclusive one excludes all others.
    """

    def __init__(self, path: Path, *, shared: bool) -> None:
        # A file object, not a bare handle: it is closed when the last reference goes.
        self._file = open_private(path, "ab")
        self._kind = fcntl.LOCK_SH if shared else fcntl.LOCK_EX

    def take(self, *, wait: bool = False) -> bool:
        """Take the lock, or only try to, without waiting; whether that succeeded."""
        try:
            fcntl.flock(self._file, self._kind | (0 if wait else fcntl.LOCK_NB))
        except OSError:
            return False
        return True

    def release(self) -> None:
        """Let go; a second call does nothing."""
        self._file.close()
