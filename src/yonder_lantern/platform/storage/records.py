"""Small JSON files and files of JSON lines, each with a checksum of its own."""

from __future__ import annotations

import fcntl
import json
import logging
import os
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any

from ...core import StateError
from .files import index_damage, open_private, private_folder, replace_bytes, write_bytes

_LOG = logging.getLogger("yonder_lantern.platform.storage")
_CHECKSUM = "crc32"


def sealed(value: Mapping[str, Any], *, indent: int | None = None) -> bytes:
    """A JSON object with the checksum of its other members as its last.

    Examples
    --------
    >>> unsealed(sealed({"depth": 3}))
    {'depth': 3}
    """
    whole = {**value, _CHECKSUM: _checksum(value)}
    return json.dumps(whole, ensure_ascii=False, indent=indent).encode("utf-8", "backslashreplace")


def unsealed(data: bytes) -> dict[str, Any]:
    """What a JSON object says, if its checksum fits.

    Raises
    ------
    ValueError
        It is no JSON object, or not as it was written.
    """
    value = json.loads(data)
    if not isinstance(value, dict):
        raise ValueError("it is no object")
    if value.pop(_CHECKSUM, None) != _checksum(value):
        raise ValueError("it does not fit its checksum")
    return value


def read_sealed(path: Path) -> dict[str, Any]:
    """What a sealed file of the index says.

    Raises
    ------
    IndexStateError
        It is missing or damaged.
    """
    try:
        return unsealed(path.read_bytes())
    except (OSError, ValueError, RecursionError) as error:
        raise index_damage(path, str(error)) from error


def _checksum(value: Mapping[str, Any]) -> str:
    return f"{zlib.crc32(json.dumps(value, sort_keys=True).encode()):08x}"


def append_record(path: Path, value: Mapping[str, Any]) -> None:
    """Add a JSON line to a private file in one write, making file and folder when missing.

    What a kill or a full disk left of an earlier line is taken away.
    """
    private_folder(path.parent)
    line = sealed(value) + b"\n"
    with _alone(path) as file:
        end = file.seek(0, os.SEEK_END)
        kept = _end_of_last_line(file, end)
        if kept < end:
            file.truncate(kept)
        try:
            os.write(file.fileno(), line)
        except OSError:
            file.truncate(kept)
            raise


@contextmanager
def _alone(path: Path) -> Iterator[IO[bytes]]:
    """A file of records that nobody else changes meanwhile, also where it was just replaced."""
    while True:
        with open_private(path, "a+b") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            with suppress(FileNotFoundError):
                if os.fstat(file.fileno()).st_ino == path.stat().st_ino:
                    yield file
                    return


def rewrite_records(path: Path, change: Callable[[dict[str, Any]], dict[str, Any] | None]) -> int:
    """Change the records of a file, in one step; how many did.

    Parameters
    ----------
    path : Path
    change : callable
        What takes a record's place; None removes it.

    Raises
    ------
    StateError
        A record is damaged.
    """
    if not path.exists():
        return 0
    with _alone(path):
        before = list(read_records(path))
        after = [change(one) for one in before]
        changed = sum(new != old for new, old in zip(after, before, strict=True))
        left = b"".join(sealed(one) + b"\n" for one in after if one is not None)
        if changed:
            replace_bytes(path, left)
    return changed


def copy_records(path: Path, target: Path) -> None:
    """Copy a file of records; a line that is being written meanwhile is whole or not there."""
    private_folder(target.parent)
    with suppress(FileNotFoundError), path.open("rb") as file:
        fcntl.flock(file, fcntl.LOCK_SH)
        data = file.read()
        write_bytes(target, data[: data.rfind(b"\n") + 1])


def _end_of_last_line(file: IO[bytes], end: int) -> int:
    at = end
    while at:
        start = max(0, at - 4096)
        file.seek(start)
        found = file.read(at - start).rfind(b"\n")
        if found >= 0:
            return start + found + 1
        at = start
    return 0


def read_records(path: Path, *, latest_first: bool = False) -> Iterator[dict[str, Any]]:
    """The JSON lines of a file; a last one that was cut short is passed over with a warning.

    Raises
    ------
    StateError
        A line is not as it was written.
    """
    lines = path.read_bytes().split(b"\n")
    cut = lines.pop()
    if cut:
        if b"\0" in cut or _is_whole(cut[:-1]):
            raise _damaged(path, len(lines) + 1, "its end is missing")
        _LOG.warning("%s: the last record was cut short and is passed over", path)
    order = range(len(lines) - 1, -1, -1) if latest_first else range(len(lines))
    for number in order:
        try:
            yield unsealed(lines[number])
        except (ValueError, RecursionError) as error:
            raise _damaged(path, number + 1, str(error)) from None


def _is_whole(line: bytes) -> bool:
    with suppress(ValueError, RecursionError):
        unsealed(line)
        return True
    return False


def _damaged(path: Path, line: int, why: str) -> StateError:
    return StateError(
        f"a record is damaged: {why}",
        f"{path}, line {line}",
        "delete that line, or the file; the other records are whole",
    )
