"""What comparisons keep: indexes under other settings, and what was asked of them."""

from __future__ import annotations

import shutil
from datetime import datetime
from pathlib import Path

from ...core import Purge


class Comparisons:
    """The folder of comparisons: all of it can be made again.

    Parameters
    ----------
    folder : Path
    """

    name = "comparisons"

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def purge(self, purge: Purge) -> int:
        """Remove them all, where documents go: they hold copies of the index."""
        if not purge.documents or not self._folder.exists():
            return 0
        return self._removed(list(self._folder.iterdir()))

    def expire(self, before: datetime) -> int:
        """Remove those that were last used before a moment."""
        if not self._folder.exists():
            return 0
        old = before.timestamp()
        return self._removed([one for one in self._folder.iterdir() if one.stat().st_mtime < old])

    def copy_to(self, folder: Path) -> None:
        """Nothing: they can be made again."""

    @staticmethod
    def _removed(paths: list[Path]) -> int:
        for path in paths:
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)
        return len(paths)
