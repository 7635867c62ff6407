"""Arrays in files: mapped, and checked against their checksums block by block when first read.

A file is NumPy's own format, which any reader of it takes, and behind that the CRC-32 of the
header, of each 256 KiB of the data, and of these checksums.
"""

from __future__ import annotations

import io
import math
import os
import re
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from .files import index_damage, open_private

Array = np.ndarray[Any, Any]
# The header of NumPy's format, version 1.0, as `numpy.save` writes it. NumPy's own reader parses it
# with `ast`, which CPython 3.11 cannot do in two threads at once (SystemError: AST constructor
# recursion depth mismatch).
_MAGIC = b"\x93NUMPY\x01\x00"
_HEADER = re.compile(
    rb"\{'descr': '([<>|]?[a-z]\d+)', 'fortran_order': False, 'shape': \(([\d, ]*)\), \} *\n"
)
_BLOCK = 1 << 18
_SUM = np.dtype("<u4")


class CheckedArray:
    """A mapped array whose blocks are compared with their checksums when they are first read.

    It is indexed like an array and gives plain arrays. Reading it from several threads is safe.

    Parameters
    ----------
    array : ndarray
    sums : uint32 array
        The CRC-32 of each block of the data.
    path : Path
        Named when a block is damaged.

    Examples
    --------
    >>> import tempfile
    >>> path = Path(tempfile.mkdtemp()) / "depths.npy"
    >>> save_array(path, np.array([3, 5, 8]))
    >>> checked_array(path)[1:].tolist()
    [5, 8]
    """

    def __init__(self, array: Array, sums: Array, path: Path) -> None:
        self._array = array
        self._sums = sums
        self._path = path
        self._row_bytes = array.itemsize * math.prod(array.shape[1:])
        self._unread = np.ones(len(sums), dtype=bool)
        self._left = len(sums)
        self.shape = array.shape
        self.dtype = array.dtype

    def __len__(self) -> int:
        return len(self._array)

    def __getitem__(self, key: Any) -> Any:
        if self._left:
            self._check(key[0] if isinstance(key, tuple) and key else key)
        return self._array[key]

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> Array:
        whole = np.asarray(self.whole(), dtype=dtype)
        return whole.copy() if copy else whole

    def whole(self) -> Array:
        """All of it, as a plain array.

        Raises
        ------
        IndexStateError
            A block is not as it was written.
        """
        if self._left:
            self._check_blocks(np.flatnonzero(self._unread))
        return self._array

    def _check(self, rows: Any) -> None:
        """Check the blocks that some rows lie in."""
        if isinstance(rows, slice):
            start, stop = _bounds(rows, len(self))
            if start < stop:
                first = start * self._row_bytes // _BLOCK
                last = (stop * self._row_bytes - 1) // _BLOCK
                unread = np.flatnonzero(self._unread[first : last + 1]) + first
                self._check_blocks(unread)
            return
        numbers = np.asarray(rows)
        if numbers.dtype == bool:
            numbers = np.flatnonzero(numbers)
        if not numbers.size:
            return
        numbers = numbers.ravel().astype(np.int64) % len(self)
        low = numbers * self._row_bytes // _BLOCK
        high = ((numbers + 1) * self._row_bytes - 1) // _BLOCK
        blocks = distinct(np.concatenate((low, high)))
        if self._row_bytes > _BLOCK:  # a row may span more than two
            blocks = np.arange(low.min(), high.max() + 1)
        self._check_blocks(blocks[self._unread[blocks]])

    def _check_blocks(self, blocks: Array) -> None:
        data = self._array.data.cast("B")
        for block in blocks.tolist():
            if zlib.crc32(data[block * _BLOCK : (block + 1) * _BLOCK]) != self._sums[block]:
                raise index_damage(self._path, "its contents do not fit their checksum")
            self._unread[block] = False
        self._left = int(np.count_nonzero(self._unread))


StoredArray = Array | CheckedArray


def _bounds(rows: slice, size: int) -> tuple[int, int]:
    """The lowest row of a slice, and the one behind its highest."""
    start, stop, step = rows.indices(size)
    return (start, stop) if step > 0 else (stop + 1, start + 1)


def save_array(path: Path, array: Array) -> None:
    """Write an array with its checksums, and see it safely on the disk."""
    contiguous = np.ascontiguousarray(array)
    header = io.BytesIO()
    np.lib.format.write_array_header_1_0(
        header, np.lib.format.header_data_from_array_1_0(contiguous)
    )
    data = contiguous.ravel().view(np.uint8).data if contiguous.size else memoryview(b"")
    sums = [zlib.crc32(header.getvalue())]
    sums += [zlib.crc32(data[at : at + _BLOCK]) for at in range(0, len(data), _BLOCK)]
    packed = np.array(sums, dtype=_SUM).tobytes()
    with open_private(path, "wb") as file:
        file.write(header.getvalue())
        file.write(data)
        file.write(packed + zlib.crc32(packed).to_bytes(4, "little"))
        file.flush()
        os.fsync(file.fileno())


def distinct(values: Array) -> Array:
    """The distinct values, ascending.

    NumPy's own ``unique`` first loads its masked arrays, which takes a tenth of a short command.

    Examples
    --------
    >>> distinct(np.array([3, 1, 3])).tolist()
    [1, 3]
    """
    ordered = np.sort(values)
    if len(ordered) < 2:
        return ordered
    return np.asarray(ordered[np.concatenate(([True], ordered[1:] != ordered[:-1]))])


def map_array(path: Path) -> Array:
    """Map an array into memory, read-only and unchecked: for files that ship with the package.

    Raises
    ------
    IndexStateError
        The file is missing, cut short, or not an array.
    """
    return _mapped(path)[0]


def checked_array(path: Path) -> CheckedArray:
    """Map an array of the index; what is read of it is compared with its checksum.

    Raises
    ------
    IndexStateError
        The file is missing, cut short, not an array, or damaged in its header or checksums.
    """
    array, header, trailer = _mapped(path)
    sums = np.frombuffer(trailer[:-4], dtype=_SUM)
    if len(trailer) < 8 or zlib.crc32(trailer[:-4]) != int.from_bytes(trailer[-4:], "little"):
        raise index_damage(path, "its checksums are damaged")
    if zlib.crc32(header) != sums[0]:
        raise index_damage(path, "its header does not fit its checksum")
    return CheckedArray(array, sums[1:], path)


def _mapped(path: Path) -> tuple[Array, bytes, bytes]:
    """An array, its header, and what stands behind its data."""
    try:
        with path.open("rb") as file:
            head = file.read(len(_MAGIC) + 2)
            head += file.read(int.from_bytes(head[len(_MAGIC) :], "little"))
            header = _HEADER.fullmatch(head[len(_MAGIC) + 2 :])
            if not head.startswith(_MAGIC) or header is None:
                raise ValueError("it is not an array")
            kind = np.dtype(header[1].decode("ascii"))
            shape = tuple(int(number) for number in header[2].split(b",") if number.strip())
            size = kind.itemsize * math.prod(shape)
            trailer = 4 * (2 + math.ceil(size / _BLOCK))
            behind = os.fstat(file.fileno()).st_size - len(head) - size
            if behind not in (0, trailer):
                raise ValueError("it is not as long as it says")
            file.seek(len(head) + size)
            sums = file.read(behind)
        if not size:  # nothing cannot be mapped
            return np.empty(shape, dtype=kind), head, sums
        mapped = np.memmap(path, dtype=kind, mode="r", offset=len(head), shape=shape)
        return mapped.view(np.ndarray), head, sums  # slices of a plain array cost a tenth
    except (OSError, ValueError, TypeError, OverflowError, SyntaxError) as error:
        raise index_damage(path, str(error)) from error
