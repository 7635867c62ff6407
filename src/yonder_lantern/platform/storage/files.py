"""Files that are either wholly there or not there at all, and private to their user."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, cast

from ...core import IndexStateError

REBUILD = "build the index again from the sources with: yonder gather --rebuild"
_FILE_MODE = 0o600
_FOLDER_MODE = 0o700


def index_damage(path: Path, why: str) -> IndexStateError:
    """What is raised where a file of the index is not as it was written."""
    return IndexStateError(f"a file of the index is damaged: {why}", str(path), REBUILD)


def private_folder(path: Path) -> Path:
    """Make a folder, and those above it that are missing, for this user alone."""
    for folder in reversed([path, *path.parents]):
        if not folder.exists():
            folder.mkdir(mode=_FOLDER_MODE, exist_ok=True)
    return path


def open_private(path: Path, mode: str) -> IO[bytes]:
    """Open a file for writing bytes; one that is made is for this user alone."""
    return cast(IO[bytes], open(path, mode, opener=_private))


def _private(path: str, flags: int) -> int:
    return os.open(path, flags, _FILE_MODE)


def write_bytes(path: Path, data: bytes) -> None:
    """Write a private file and see it safely on the disk."""
    with open_private(path, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def replace_bytes(path: Path, data: bytes) -> None:
    """Put new contents in place of a file's old ones in one step; its permissions stay."""
    beside = path.with_name(path.name + ".new")
    write_bytes(beside, data)
    if path.exists():
        beside.chmod(path.stat().st_mode & 0o777)
    beside.replace(path)
    sync_folder(path.parent)


@contextmanager
def whole_folder(target: Path) -> Iterator[Path]:
    """A new folder to write into; it takes its place once it is whole.

    Until then an earlier folder of that name stays.
    """
    beside = target.with_name(target.name + ".new")
    shutil.rmtree(beside, ignore_errors=True)  # of one that was interrupted
    private_folder(beside)
    yield beside
    sync_folder(beside)
    old = target.with_name(target.name + ".old")
    if target.exists():
        shutil.rmtree(old, ignore_errors=True)
        target.rename(old)
    beside.rename(target)
    shutil.rmtree(old, ignore_errors=True)
    sync_folder(target.parent)


def sync_folder(folder: Path) -> None:
    """See a folder's own entries safely on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
