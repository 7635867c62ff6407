"""The events of turns that several processes serve: read again for minutes, then swept."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from ...core import Purge
from ...platform.storage import FileLock


class ServedTurns:
    """The folder of turns under way, or just ended.

    Parameters
    ----------
    folder : Path
    """

    name = "served"

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def purge(self, purge: Purge) -> int:  # noqa: ARG002
        """Remove all that have ended: the conversations have them."""
        return self._removed(float("inf"))

    def expire(self, before: datetime) -> int:
        """Remove those that have ended before a moment."""
        return self._removed(before.timestamp())

    def copy_to(self, folder: Path) -> None:
        """Nothing: a turn is in its conversation once it has ended."""

    def _removed(self, before: float) -> int:
        removed = 0
        for path in self._folder.glob("*.*") if self._folder.is_dir() else ():
            try:
                if path.is_dir() or path.stat().st_mtime >= before:
                    continue
                lock = FileLock(path, shared=False)  # whoever writes it holds one
                if lock.take():
                    path.unlink(missing_ok=True)
                    removed += path.suffix == ".jsonl"
                lock.release()
            except OSError:  # another process was faster
                continue
        return removed
