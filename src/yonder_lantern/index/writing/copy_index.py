"""A second index that begins with what the first one holds."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from ...core import IndexStateError
from ...platform.storage import FileLock, private_folder

_COPIED = ("documents.sqlite", "documents.sqlite.sums", "manifest.json")  # written to in place
_LINKED = ("segments", "vectors", "embeddings", "deletions", "rows", "topics")


def copy_index(folder: Path, target: Path) -> None:
    """Copy an index. What is never changed is linked, so a copy costs little time and room.

    Parameters
    ----------
    folder : Path
    target : Path
        Must not be there yet.

    Raises
    ------
    IndexStateError
        It is being written just now.
    """
    lock = FileLock(folder / "writer.lock", shared=False)
    if not lock.take():
        raise IndexStateError(
            "another gather is writing this index", str(folder), "wait until it has ended"
        )
    try:
        private_folder(target)
        for name in _LINKED:
            if (folder / name).is_dir():
                shutil.copytree(folder / name, target / name, copy_function=_link)
        for name in _COPIED:
            if (folder / name).exists():
                shutil.copy2(folder / name, target / name)
    finally:
        lock.release()


def _link(source: str, target: str) -> None:
    try:
        os.link(source, target)
    except OSError:  # another disk, or one without links
        shutil.copy2(source, target)
