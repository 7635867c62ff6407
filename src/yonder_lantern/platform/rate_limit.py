"""Taking turns at a server: so many at once, so many a minute, over all processes of a desk."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ..core import Cancel, CancelledError, NeverCancel
from .storage import FileLock, private_folder, write_bytes

_PAUSE = 0.02  # seconds between looks


class RateLimit:
    """Lets in no more requests than a server takes.

    Parameters
    ----------
    folder : Path
        Where the locks lie; the same for all who share the limits.
    max_concurrent : int
        How many may be under way; 0 is without limit.
    max_per_minute : int
        How many may begin in a minute, evenly spaced; 0 is without limit.
    """

    def __init__(self, folder: Path, *, max_concurrent: int, max_per_minute: int) -> None:
        self._folder = folder
        self._max_concurrent = max_concurrent
        self._gap = 60 / max_per_minute if max_per_minute else 0.0

    @contextmanager
    def turn(self, cancel: Cancel | None = None) -> Iterator[None]:
        """Wait for a turn, and have it.

        Raises
        ------
        CancelledError
            ``cancel`` was set while waiting.
        """
        cancel = cancel or NeverCancel()
        place = self._location(cancel) if self._max_concurrent else None
        try:
            if self._gap:
                self._wait_for_pace(cancel)
            yield
        finally:
            if place is not None:
                place.release()

    def _location(self, cancel: Cancel) -> FileLock:
        private_folder(self._folder)
        while True:
            for number in range(self._max_concurrent):
                lock = FileLock(self._folder / f"place-{number}.lock", shared=False)
                if lock.take():
                    return lock
                lock.release()
            _pause(cancel, _PAUSE)

    def _wait_for_pace(self, cancel: Cancel) -> None:
        """Wait until the gap since the last request is over."""
        private_folder(self._folder)
        path = self._folder / "next"
        lock = FileLock(self._folder / "next.lock", shared=False)
        while not lock.take():
            _pause(cancel, _PAUSE)
        try:
            now, begin = time.time(), 0.0
            with suppress(OSError, ValueError):
                begin = float(path.read_text(encoding="ascii"))
            begin = min(max(begin, now), now + 60)  # a clock that was set back keeps nobody out
            write_bytes(path, repr(begin + self._gap).encode("ascii"))
        finally:
            lock.release()
        while (left := begin - time.time()) > 0:
            _pause(cancel, min(left, _PAUSE))


def _pause(cancel: Cancel, seconds: float) -> None:
    if cancel.is_set():
        raise CancelledError("waiting for the server was interrupted")
    time.sleep(seconds)
