"""Reading documents in processes of their own, on all cores, each with a time limit.

A format that hangs or takes its process down costs one document, not the gather.
"""

from __future__ import annotations

import pickle
import queue
import select
import subprocess
import sys
import threading
from collections.abc import Mapping
from concurrent.futures import Future
from dataclasses import replace
from typing import Any, cast
from zoneinfo import ZoneInfo

from ..records import Document, FormatError, Item, LimitError, Limits, Parsed

_AHEAD = 16  # requests under way for each process
_WORTH_ANOTHER = 8  # requests waiting for each process, from which another is started


class Readers:
    """Some processes that read documents; they start when there is something to read.

    Parameters
    ----------
    processes : int
        How many at most.
    limits : Limits
        ``limits.seconds`` is how long one document may take.
    zone : ZoneInfo
        The zone that dates without one are in.
    """

    def __init__(self, processes: int, limits: Limits, zone: ZoneInfo) -> None:
        self._most = processes
        self._limits = limits
        self._zone = zone
        self._requests: queue.SimpleQueue[tuple[bytes, Future[Any]] | None] = queue.SimpleQueue()
        self._workers: list[_Worker] = []

    def __enter__(self) -> Readers:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def room(self) -> int:
        """How many requests may be under way at once."""
        return self._most * _AHEAD

    def read(
        self,
        item: Item,
        data: bytes | Parsed,
        *,
        language: str,
        corrections: Mapping[str, str],
    ) -> Future[Document]:
        """Read an item; the future gives its document or raises why there is none."""
        request = {
            "item": replace(item, read=_nothing),
            "data": data,
            "zone": self._zone,
            "language": language,
            "corrections": dict(corrections),
        }
        done: Future[Any] = Future()
        self._requests.put((pickle.dumps(request, protocol=5), done))
        few = self._requests.qsize() < _WORTH_ANOTHER * len(self._workers)
        if not few and len(self._workers) < self._most:
            self._workers.append(_Worker(self._requests, self._limits))
        return cast("Future[Document]", done)

    def close(self) -> None:
        """End the processes; what was not read yet is not read any more."""
        for worker in self._workers:  # all at once: any of them may take any of the ends
            worker.stop()
            self._requests.put(None)
        for worker in self._workers:
            worker.end()
        self._workers.clear()


def _nothing() -> bytes:
    return b""


class _Worker(threading.Thread):
    """A thread that speaks with one process, and starts it anew when it has died."""

    def __init__(
        self,
        requests: queue.SimpleQueue[tuple[bytes, Future[Any]] | None],
        limits: Limits,
    ) -> None:
        super().__init__(daemon=True)
        self._requests = requests
        self._limits = limits
        self._process: subprocess.Popen[bytes] | None = None
        self._ended = False
        self.start()

    def run(self) -> None:
        """Take requests until there are no more."""
        while not self._ended:
            taken = self._requests.get()
            if taken is None or self._ended:
                break
            request, done = taken
            try:
                done.set_result(self._ask(request))
            except Exception as error:
                done.set_exception(error)

    def stop(self) -> None:
        """Let the thread take no more requests, and end its process."""
        self._ended = True
        process = self._process
        if process is not None:
            process.kill()

    def end(self) -> None:
        """Wait until the thread has ended, and let go of its process."""
        self.join()
        self._let_go()

    def _ask(self, request: bytes) -> Document:
        process = self._process or self._begin()
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            process.stdin.write(request)
            process.stdin.flush()
            if not select.select([process.stdout], [], [], self._limits.seconds)[0]:
                self._let_go()
                raise LimitError(
                    f"reading it took more than {self._limits.seconds:g} seconds",
                    remedy="raise gather.seconds_per_item, split it, or exclude it",
                )
            reply = pickle.load(process.stdout)
        except (OSError, ValueError, EOFError, pickle.UnpicklingError):
            self._let_go()
            raise FormatError(
                "the process that read it died", remedy="exclude it, and report the fault"
            ) from None
        if isinstance(reply, Exception):
            raise reply
        return cast("Document", reply)

    def _begin(self) -> subprocess.Popen[bytes]:
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", "yonder_lantern.formats.worker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        assert self._process.stdin is not None
        self._process.stdin.write(pickle.dumps(self._limits, protocol=5))
        return self._process

    def _let_go(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for stream in (process.stdin, process.stdout):
            if stream is not None:
                try:
                    stream.close()
                except OSError:
                    continue
