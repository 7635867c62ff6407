"""What sources have fetched: pages, entries, transcripts, copies of repositories."""

from __future__ import annotations

import shutil
from datetime import datetime
from pathlib import Path

from ...core import Purge
from ...ingest.sources import Copy, ServiceCache
from ...platform.storage import copy_database

_PAID = ("transcripts",)  # made by services: kept where they hold nothing that goes


class SourceCopies:
    """The folders of sources, and the descriptions of images.

    Parameters
    ----------
    state : Path
    """

    name = "sources"

    def __init__(self, state: Path) -> None:
        self._state = state
        self._folder = state / self.name

    def purge(self, purge: Purge) -> int:
        """Remove what the sources of documents that go have fetched; it is fetched again.

        Of what a service was paid for, only what holds their words goes; and of other sources, too.
        """
        concerned = {id_.partition("/")[0] for id_ in purge.documents}
        removed = 0
        for path in self._state.glob("*.sqlite"):
            removed += _purged(self._state, path.stem, purge)
        for source in self._folder.iterdir() if self._folder.is_dir() else ():
            for path in list(source.iterdir()):
                if path.suffix == ".sqlite" and (
                    source.name not in concerned or path.stem in _PAID
                ):
                    removed += _purged(source, path.stem, purge)
                elif source.name in concerned:
                    removed += 1
                    if path.is_dir():
                        shutil.rmtree(path)
                    else:
                        path.unlink(missing_ok=True)
        return removed

    def expire(self, before: datetime) -> int:  # noqa: ARG002
        """Nothing: a gather keeps what its sources still have."""
        return 0

    def copy_to(self, folder: Path) -> None:
        """Copy what services were paid for; the rest is fetched again."""
        for path in self._state.glob("*.sqlite"):
            copy_database(path, folder / path.name)
        for source in self._folder.iterdir() if self._folder.is_dir() else ():
            for stem in _PAID:
                path = source / f"{stem}.sqlite"
                if path.exists():
                    copy_database(path, folder / self.name / source.name / path.name)


def _purged(folder: Path, name: str, purge: Purge) -> int:
    """Remove the copies of a cache that hold words that go."""
    with ServiceCache(folder, name) as kept:
        gone = [key for key, _ in kept.each() if _holds(key, kept.get(key), purge)]
        for key in gone:
            kept.drop(key)
        if gone:
            kept.rewrite()
    return len(gone)


def _holds(key: str, copy: Copy | None, purge: Purge) -> bool:
    if copy is None:
        return True
    told = [key, copy.body.decode("utf-8", "replace"), copy.about]
    return bool(purge.redact(told) != told)
