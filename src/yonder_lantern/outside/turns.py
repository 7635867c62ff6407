"""Taking turns at a server: so many at once, so many a minute, over all processes of a desk."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ..records import Cancel, CancelledError, NeverCancel
from ..storage import FileLock

_PAUSE = 0.02  # seconds between looks


class Turns:
    """Lets in no more requests than a server takes.

    Parameters
    ----------
    folder : Path
        Where the locks lie; the same for all who share the limits.
    at_once : int
        How many may be under way; 0 is without limit.
    per_minute : int
        How many may begin in a minute, evenly spaced; 0 is without limit.
    """

    def __init__(self, folder: Path, *, at_once: int, per_minute: int) -> None:
        self._folder = folder
        self._at_once = at_once
        self._gap = 60 / per_minute if per_minute else 0.0

    @contextmanager
    def turn(self, cancel: Cancel | None = None) -> Iterator[None]:
        """Wait for a turn, and have it.

        Raises
        ------
        CancelledError
            ``cancel`` was set while waiting.
        """
        cancel = cancel or NeverCancel()
        place = self._place(cancel) if self._at_once else None
        try:
            if self._gap:
                self._wait_for_pace(cancel)
            yield
        finally:
            if place is not None:
                place.release()

    def _place(self, cancel: Cancel) -> FileLock:
        self._folder.mkdir(parents=True, exist_ok=True)
        while True:
            for number in range(self._at_once):
                lock = FileLock(self._folder / f"place-{number}.lock", shared=False)
                if lock.take():
                    return lock
                lock.release()
            _pause(cancel, _PAUSE)

    def _wait_for_pace(self, cancel: Cancel) -> None:
        """Wait until the gap since the last request is over."""
        self._folder.mkdir(parents=True, exist_ok=True)
        path = self._folder / "next"
        lock = FileLock(self._folder / "next.lock", shared=False)
        while not lock.take():
            _pause(cancel, _PAUSE)
        try:
            now, begin = time.time(), 0.0
            with suppress(OSError, ValueError):
                begin = float(path.read_text(encoding="ascii"))
            begin = min(max(begin, now), now + 60)  # a clock that was set back keeps nobody out
            path.write_text(repr(begin + self._gap), encoding="ascii")
        finally:
            lock.release()
        while (left := begin - time.time()) > 0:
            _pause(cancel, min(left, _PAUSE))


def _pause(cancel: Cancel, seconds: float) -> None:
    if cancel.is_set():
        raise CancelledError("waiting for the server was interrupted")
    time.sleep(seconds)
