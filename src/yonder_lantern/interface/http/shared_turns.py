"""Turns that several processes serve: begun in one, read and stopped in any.

A turn's events are lines of a file, which readers follow; a file beside it stops it. Whoever
writes holds a lock on it, so that readers see when that process has died.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import re
import threading
import time
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Protocol

from ...platform.storage import FileLock, open_private, private_folder

_ID = re.compile(r"[\w-]{8,40}")
_LOOKS = 0.05  # seconds between two looks at a file that another process writes
_TICK = 15.0  # seconds after which a silent stream says that it is alive
_KEPT = 600.0  # seconds


class Stop(Protocol):
    """A signal that ends a turn; `threading.Event` is one."""

    def is_set(self) -> bool:
        """Whether the turn should end."""
        ...

    def set(self) -> None:
        """End it."""
        ...


class SharedTurns:
    """The turns of all processes that serve a desk.

    Parameters
    ----------
    folder : Path
        Where their events are.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._writing: dict[str, FileLock] = {}

    def begin(self, id_: str, conversation: str, caller: str) -> Stop:
        """Make a turn known; the signal that ends it, from whichever process."""
        private_folder(self._folder)
        self._forget()
        self._writing[id_] = FileLock(self._path(id_), shared=False)
        self._writing[id_].take()
        self._append(id_, {"conversation": conversation, "caller": caller})
        return FileStop(self._path(id_).with_suffix(".stop"))

    def tell(self, id_: str, name: str, data: dict[str, Any]) -> None:
        """Add an event to a turn."""
        self._append(id_, {"event": name, "data": data})

    def drop(self, id_: str) -> None:
        """Take back a turn that was never answered."""
        self._path(id_).unlink(missing_ok=True)
        self._writing.pop(id_).release()

    def end(self, id_: str) -> None:
        """No more events come."""
        self._append(id_, {"end": True})
        self._writing.pop(id_).release()

    def find(self, id_: str) -> FollowedTurn | None:
        """A turn of another process."""
        path = self._path(id_)
        if not _ID.fullmatch(id_) or not path.exists():
            return None
        with path.open("rb") as file:
            first = json.loads(file.readline() or b"{}")
        if "caller" not in first:
            return None
        return FollowedTurn(path, str(first["conversation"]), str(first["caller"]))

    def lock_of(self, conversation: str) -> Path:
        """The file that the turns of one conversation wait for each other at."""
        private_folder(self._folder)
        return self._folder / f"{hashlib.sha256(conversation.encode()).hexdigest()[:24]}.lock"

    def _append(self, id_: str, value: dict[str, Any]) -> None:
        with open_private(self._path(id_), "ab") as file:
            file.write(json.dumps(value).encode() + b"\n")

    def _path(self, id_: str) -> Path:
        return self._folder / f"{id_}.jsonl"

    def _forget(self) -> None:
        """Drop what nobody reads any more."""
        old = time.time() - _KEPT
        for path in self._folder.glob("*.*"):
            try:
                if path.stat().st_mtime < old:
                    path.unlink()
            except OSError:  # another process was faster
                continue


class FileStop:
    """A signal that any process can set."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._own = threading.Event()
        self._looked = 0.0

    def is_set(self) -> bool:
        """Whether somebody set it; a file is looked at a few times a second."""
        if not self._own.is_set() and time.monotonic() - self._looked > 4 * _LOOKS:
            self._looked = time.monotonic()
            if self._path.exists():
                self._own.set()
        return self._own.is_set()

    def set(self) -> None:
        """Set it."""
        self._own.set()
        open_private(self._path, "ab").close()


class FollowedTurn:
    """A turn that another process answers, as its file tells of it.

    Parameters
    ----------
    path : Path
    conversation, caller : str
    """

    def __init__(self, path: Path, conversation: str, caller: str) -> None:
        self._path = path
        self.id = path.stem
        self.conversation = conversation
        self.caller = caller
        self.cancel: Stop = FileStop(path.with_suffix(".stop"))

    async def after(self, number: int) -> AsyncIterator[tuple[int, str, dict[str, Any]] | None]:
        """The events after one, as they come; None now and then while nothing does.

        They end with the turn, or with the process that answers it.
        """
        seen, offset, heard, gone = 0, 0, time.monotonic(), False
        while True:
            with self._path.open("rb") as file:
                file.seek(offset)
                data = file.read()
            whole = data[: data.rfind(b"\n") + 1]
            offset += len(whole)
            for line in whole.splitlines():
                told = json.loads(line)
                if "end" in told:
                    return
                if "event" not in told:
                    continue
                seen += 1
                heard = time.monotonic()
                if seen > number:
                    yield seen, told["event"], told["data"]
            if not whole:
                if gone:  # and everything that it wrote is read
                    return
                await asyncio.sleep(_LOOKS)
                if time.monotonic() - heard > _TICK:
                    heard, gone = time.monotonic(), self._is_let_go()
                    yield None

    @property
    def is_over(self) -> bool:
        """Whether no more events come: it has ended, or died."""
        return self._is_let_go()

    def _is_let_go(self) -> bool:
        """Whether the process that wrote it does so no more."""
        lock = FileLock(self._path, shared=True)
        try:
            return lock.take()
        finally:
            lock.release()


@contextmanager
def one_at_a_time(shared: SharedTurns | None, conversation: str) -> Iterator[None]:
    """While a turn of a conversation is answered, no other process answers one of it."""
    if shared is None:
        yield
        return
    lock = FileLock(shared.lock_of(conversation), shared=False)
    lock.take(wait=True)
    try:
        yield
    finally:
        lock.release()
