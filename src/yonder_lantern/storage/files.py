"""Files that are either wholly there or not there at all."""

from __future__ import annotations

import math
import os
import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from ..records import IndexStateError

Array = np.ndarray[Any, Any]
# The header of NumPy's format, version 1.0, as `numpy.save` writes it. NumPy's own reader parses it
# with `ast`, which CPython 3.11 cannot do in two threads at once (SystemError: AST constructor
# recursion depth mismatch).
_MAGIC = b"\x93NUMPY\x01\x00"
_HEADER = re.compile(
    rb"\{'descr': '([<>|]?[a-z]\d+)', 'fortran_order': False, 'shape': \(([\d, ]*)\), \} *\n"
)
REBUILD = "build the index again from the sources with: yonder gather --rebuild"


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file and see it safely on the disk."""
    with path.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def replace_bytes(path: Path, data: bytes) -> None:
    """Put new contents in place of a file's old ones in one step."""
    beside = path.with_name(path.name + ".new")
    write_bytes(beside, data)
    beside.replace(path)
    sync_folder(path.parent)


@contextmanager
def whole_folder(target: Path) -> Iterator[Path]:
    """A new folder to write into; it takes its place once it is whole.

    Until then an earlier folder of that name stays.
    """
    beside = target.with_name(target.name + ".new")
    shutil.rmtree(beside, ignore_errors=True)  # of one that was interrupted
    beside.mkdir(parents=True)
    yield beside
    sync_folder(beside)
    old = target.with_name(target.name + ".old")
    if target.exists():
        shutil.rmtree(old, ignore_errors=True)
        target.rename(old)
    beside.rename(target)
    shutil.rmtree(old, ignore_errors=True)
    sync_folder(target.parent)


def append_line(path: Path, line: str) -> None:
    """Add a line to a private file in one write, making file and folder when missing."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    try:
        os.write(handle, f"{line}\n".encode())
    finally:
        os.close(handle)


def sync_folder(folder: Path) -> None:
    """See a folder's own entries safely on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def save_array(path: Path, array: Array) -> None:
    """Write an array in NumPy's own format."""
    with path.open("wb") as file:
        np.save(file, np.ascontiguousarray(array), allow_pickle=False)
        file.flush()
        os.fsync(file.fileno())


def map_array(path: Path) -> Array:
    """Map an array into memory, read-only.

    Raises
    ------
    IndexStateError
        The file is missing, cut short, or not an array.
    """
    try:
        with path.open("rb") as file:
            magic, size = file.read(len(_MAGIC)), int.from_bytes(file.read(2), "little")
            header = _HEADER.fullmatch(file.read(size))
        if magic != _MAGIC or header is None:
            raise ValueError("it is not an array")
        kind = np.dtype(header[1].decode("ascii"))
        shape = tuple(int(number) for number in header[2].split(b",") if number.strip())
        start = len(_MAGIC) + 2 + size
        if path.stat().st_size != start + kind.itemsize * math.prod(shape):
            raise ValueError("it is not as long as it says")
        if 0 in shape:  # nothing cannot be mapped
            return np.empty(shape, dtype=kind)
        mapped = np.memmap(path, dtype=kind, mode="r", offset=start, shape=shape)
        return mapped.view(np.ndarray)  # slices of a plain array cost a tenth
    except (OSError, ValueError) as error:
        raise IndexStateError(f"a file of the index is damaged: {error}", str(path), REBUILD) from (
            error
        )
