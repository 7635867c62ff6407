"""Reading documents in processes of their own, on all cores, each with a time limit.

A format that hangs or takes its process down costs one document, not the gather.
One thread feeds the processes and takes what they give, whenever it is asked for
something: threads of their own would wait for the interpreter's lock most of the time.
"""

from __future__ import annotations

import logging
import os
import pickle
import selectors
import signal
import subprocess
import sys
import time
from collections import deque
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace

from ...core import FormatError, LimitError, Limits
from ...platform.storage import die_with_parent
from ..formats import Formats, ParsedWithImages
from .executor import PendingRead
from .messages import HEADER, Read, ReadRequest, ReadWithImages
from .worker import Answering, too_much_memory

_LOG = logging.getLogger("yonder_lantern.ingest.executors")

_BATCH = 16  # requests given to a process at once
_BATCH_BYTES = 1_000_000
_AHEAD = 2  # batches under way for each process
_CHUNK = 1 << 20
_TO_START = 60.0  # seconds a process may take before it reads anything
_MUCH = 0.4  # of the memory that is allowed, from which a process that died died of that
# The cores are shared by documents, not within one.
_ONE_THREAD = {
    "OMP_THREAD_LIMIT": "1",
    "OPENBLAS_NUM_THREADS": "1",
    "MALLOC_ARENA_MAX": "2",
}
_LARGE = 200_000  # bytes of a document that is prepared by them anyway
_MANY = 32  # documents from which the processes prepare them too: it takes more to start with


def _is_large(data: object) -> bool:
    """Whether preparing it takes longer than to get ready for it."""
    if isinstance(data, bytes):
        return len(data) > _LARGE
    text = getattr(data, "text", None)
    return isinstance(text, str) and len(text) > _LARGE


class _Pending:
    """A document that is being read, as `PendingRead` says."""

    def __init__(self, executor: ProcessExecutor, request: bytes) -> None:
        self._executor = executor
        self.request = request
        self.reply: Read | ReadWithImages | Exception | None = None

    def done(self) -> bool:
        """Whether there is a document, or the reason why there is none."""
        self._executor.take(wait=False)
        return self.reply is not None

    def result(self) -> Read | ReadWithImages:
        """Wait for the document; raises why there is none."""
        while self.reply is None:
            self._executor.take(wait=True)
        if isinstance(self.reply, Exception):
            raise self.reply
        return self.reply

    def go_on(self, parsed: ParsedWithImages, shown: Mapping[str, str]) -> PendingRead:
        """Read on where it stopped, now that it is known what the images in it show."""
        request: ReadRequest = pickle.loads(self.request)
        return self._executor.begin(replace(request, data=parsed, shown=dict(shown)))


class ProcessExecutor:
    """Processes of this machine that read documents: an `Executor`.

    They start when there is something to read.

    Parameters
    ----------
    processes : int
        How many at most.
    limits : Limits
        ``limits.seconds`` is how long one document may take.
    """

    def __init__(self, processes: int, limits: Limits) -> None:
        self._most = processes
        self._limits = limits
        self._waiting: deque[_Pending] = deque()
        self._workers: list[_Worker] = []
        self._asked = 0
        self._here: Answering | None = None  # where no process can be started

    def __enter__(self) -> ProcessExecutor:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def room(self) -> int:
        """How many documents may be under way at once."""
        return self._most * _BATCH * _AHEAD

    def read(self, request: ReadRequest) -> PendingRead:
        """Begin to read an item; of few small ones, the documents are prepared elsewhere."""
        self._asked += 1
        passages = request.passages if self._asked > _MANY or _is_large(request.data) else None
        item = replace(request.item, read=_nothing)
        return self.begin(replace(request, item=item, passages=passages))

    def begin(self, request: ReadRequest) -> PendingRead:
        """Put a request into the queue."""
        reading = _Pending(self, pickle.dumps(request, protocol=5))
        self._waiting.append(reading)
        if len(self._waiting) >= _BATCH:
            self.take(wait=False)
        return reading

    def take(self, *, wait: bool) -> None:
        """Take what the processes have given, and give them what is waiting.

        Parameters
        ----------
        wait : bool
            Until one of them has given something.
        """
        self._hand_out(least=1 if wait else _BATCH)
        busy = [worker for worker in self._workers if worker.busy]
        if not busy:
            return
        patience = min(worker.left(self._limits.seconds) for worker in busy) if wait else 0.0
        with selectors.DefaultSelector() as outputs:  # `select` ends at 1,024 open files
            for worker in busy:
                outputs.register(worker.output, selectors.EVENT_READ)
            ready = {key.fd for key, _ in outputs.select(max(patience, 0.0))}
        for worker in busy:
            if worker.output in ready:
                if not worker.take():
                    worker.end()
                    self._bury(worker, worker.why_it_died(self._limits))
            elif worker.left(self._limits.seconds) <= 0:
                self._bury(worker, _overdue(self._limits.seconds))
        self._hand_out(least=1 if wait else _BATCH)

    def _hand_out(self, least: int) -> None:
        """Give what is waiting to processes that have nothing to do, if it is worth it."""
        if self._here is not None:
            while self._waiting:
                reading = self._waiting.popleft()
                reading.reply = self._here(pickle.loads(reading.request))
            return
        while len(self._waiting) >= least and self._waiting:
            idle = next((worker for worker in self._workers if not worker.busy), None)
            if idle is None:
                if len(self._workers) >= self._most or (
                    self._workers and len(self._waiting) < _BATCH
                ):
                    return
                try:
                    idle = _Worker(self._limits)
                except OSError:
                    self._read_here()
                    return
                self._workers.append(idle)
            batch: list[_Pending] = []
            size = 0
            share = max(1, min(_BATCH, len(self._waiting) // (2 if least == 1 else 1)))
            while self._waiting and len(batch) < share and size < _BATCH_BYTES:
                batch.append(self._waiting.popleft())
                size += len(batch[-1].request)
            if not idle.give(batch):  # it died while it had nothing to do: no document is to blame
                self._bury(idle, None)

    def _bury(self, worker: _Worker, reason: Exception | None) -> None:
        """End a process; the document it was at has failed, the others are read by another.

        One that has not even started (no Python can be run from here, say) ends that
        way of reading: everything is read in this process then.
        """
        worker.end()
        self._workers.remove(worker)
        unread = list(worker.under_way)
        if worker.ready and reason is not None:
            unread.pop(0).reply = reason
        self._waiting.extendleft(reversed(unread))
        if not worker.ready:
            self._read_here()

    def _read_here(self) -> None:
        """Read in this process from now on."""
        if self._here is None:
            _LOG.warning("no process can be started: documents are read in this one")
            self._here = Answering(Formats(self._limits), self._limits.seconds)
        self._hand_out(least=1)

    def close(self) -> None:
        """End the processes; what was not read yet is not read any more."""
        for worker in self._workers:
            worker.end()
        self._workers.clear()


def _nothing() -> bytes:
    return b""


def _unpacked(reply: bytearray) -> Read | Exception:
    """What a process has given, or why it cannot be taken."""
    try:
        found: Read | Exception = pickle.loads(reply)
        return found
    except MemoryError:
        return too_much_memory()
    except Exception as error:
        what = f"the parsed document could not be sent back: {type(error).__name__}: {error}"
        return FormatError(what, remedy="exclude it, and report the fault")


def _overdue(seconds: float) -> LimitError:
    return LimitError(
        f"reading it took more than {seconds:g} seconds",
        remedy="raise gather.seconds_per_item, split it, or exclude it",
    )


class _Worker:
    """A process that reads one batch of documents at a time."""

    def __init__(self, limits: Limits) -> None:
        self.under_way: deque[_Pending] = deque()
        self.ready = False
        self._buffer = bytearray()
        self._peak = 0  # bytes of memory, known when it has ended
        self._since = 0.0
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", "yonder_lantern.ingest.executors.worker"],
            env={**os.environ, **_ONE_THREAD},
            umask=0o077,
            start_new_session=True,
            preexec_fn=die_with_parent(signal.SIGTERM),  # noqa: PLW1509 - one call of C, no lock
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            bufsize=0,
        )
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._input = self._process.stdin.fileno()
        self.output = self._process.stdout.fileno()
        with suppress(OSError):
            _write(self._input, pickle.dumps(limits, protocol=5))

    @property
    def busy(self) -> bool:
        """Whether it has been given something that it has not answered."""
        return bool(self.under_way)

    def left(self, seconds: float) -> float:
        """How much longer it may take for the document it is at."""
        allowed = seconds if self.ready else max(seconds, _TO_START)
        return self._since + allowed - time.monotonic()

    def why_it_died(self, limits: Limits) -> FormatError:
        """What is wrong with the document it was at: often, that there was no memory for it."""
        if self._peak > _MUCH * limits.memory:
            return too_much_memory()
        return FormatError(
            "the process that read it died", remedy="exclude it, and report the fault"
        )

    def give(self, batch: list[_Pending]) -> bool:
        """Give it a batch, which it takes as it has nothing else to do; False if it has died."""
        self.under_way.extend(batch)
        self._since = time.monotonic()
        try:
            _write(self._input, pickle.dumps([one.request for one in batch], protocol=5))
        except OSError:
            return False
        return True

    def take(self) -> bool:
        """Take the replies that are there; False if it has died."""
        try:
            chunk = os.read(self.output, _CHUNK)
        except OSError:
            return False
        if not chunk:
            return False
        self._buffer += chunk
        while len(self._buffer) >= HEADER:
            end = HEADER + int.from_bytes(self._buffer[:HEADER], "little")
            if len(self._buffer) < end:
                break
            if self.ready:
                self.under_way.popleft().reply = _unpacked(self._buffer[HEADER:end])
            self.ready = True  # the first message says only that
            del self._buffer[:end]
            self._since = time.monotonic()
        return True

    def end(self) -> None:
        """End the process, with those that it has started."""
        if self._process.returncode is not None:
            return
        with suppress(OSError):
            os.killpg(self._process.pid, signal.SIGKILL)
        with suppress(ChildProcessError):
            _, status, usage = os.wait4(self._process.pid, 0)
            self._process.returncode = os.waitstatus_to_exitcode(status)
            self._peak = usage.ru_maxrss * (1 if sys.platform == "darwin" else 1024)
        for stream in (self._process.stdin, self._process.stdout):
            if stream is not None:
                with suppress(OSError):
                    stream.close()


def _write(descriptor: int, data: bytes) -> None:
    message = memoryview(len(data).to_bytes(HEADER, "little") + data)
    while message:
        message = message[os.write(descriptor, message) :]
