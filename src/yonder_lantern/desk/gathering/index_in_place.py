"""Putting an index that was built anew in place of the old one, while nobody writes that."""

from __future__ import annotations

import shutil
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

from ...core import Cancel
from ...index import put_aside
from ...platform.storage import FileLock

REBUILD_LOCK = "rebuild.lock"  # of the state: held while an index is built anew


@contextmanager
def alone_with(folder: Path, name: str = "writer.lock") -> Iterator[None]:
    """While nobody else writes an index, or builds one anew; whoever does so ends first."""
    with ExitStack() as stack:
        if folder.exists():
            lock = FileLock(folder / name, shared=False)
            stack.callback(lock.release)
            lock.take(wait=True)
        yield


def wait_for_gather(state: Path, cancel: Cancel) -> bool:
    """Wait until no gather is under way any more; whether there was one to wait for."""
    place = state / "index" / "writer.lock"
    waited = False
    while place.exists() and not cancel.is_set():
        lock = FileLock(place, shared=False)
        free = lock.take()
        lock.release()
        if free:
            return waited
        waited = True
        time.sleep(0.1)
    return False


def put_in_place(rebuilt: Path, index_folder: Path) -> None:
    old = put_aside(index_folder)
    shutil.rmtree(old, ignore_errors=True)
    if index_folder.exists():
        index_folder.rename(old)
    try:
        rebuilt.rename(index_folder)
    except OSError:
        bring_back(index_folder)
        raise
    shutil.rmtree(old, ignore_errors=True)


def bring_back(index_folder: Path) -> None:
    """Undo a rebuild that was cut off after the old index was put aside."""
    old = put_aside(index_folder)
    if old.exists() and not index_folder.exists():
        old.rename(index_folder)
