"""Several processes that do the same; one that dies is replaced."""

from __future__ import annotations

import logging
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from types import FrameType

_LOG = logging.getLogger("yonder_lantern.serve")
_LOOKS = 0.1  # seconds
_SHORT = 5.0  # seconds that a process lives at least, or the next one is begun later
_LONGEST_WAIT = 30.0
_TO_END = 40.0  # seconds until a process that was told to end is killed


def run_workers(number: int, run: Callable[[], None], gone: Callable[[int], None]) -> None:
    """Keep processes running until this one is told to end, by a signal.

    Parameters
    ----------
    number : int
    run : callable
        What each of them does.
    gone : callable
        Told the number of a process that has ended.
    """
    ending = False

    def end(signum: int, frame: FrameType | None) -> None:  # noqa: ARG001
        nonlocal ending
        ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    begun = {_begin(run): time.monotonic() for _ in range(number)}
    wait, due = 0.0, 0.0
    while not ending:
        for pid, status in _ended(begun):
            lived = time.monotonic() - begun.pop(pid)
            gone(pid)
            wait = 0.0 if lived > _SHORT else min(_LONGEST_WAIT, max(0.5, wait * 2))
            due = time.monotonic() + wait
            _LOG.error("worker %d has ended (%s); another begins in %g s", pid, _how(status), wait)
        if len(begun) < number and time.monotonic() >= due:
            begun[_begin(run)] = time.monotonic()
        time.sleep(_LOOKS)
    _end_all(begun)


def _begin(run: Callable[[], None]) -> int:
    """A further process."""
    sys.stdout.flush()
    sys.stderr.flush()
    parent = os.getpid()
    pid = os.fork()
    if pid:
        return pid
    status = 1
    try:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        signal.signal(signal.SIGINT, signal.default_int_handler)
        _end_with(parent)
        run()
        status = 0
    except BaseException:
        _LOG.exception("worker %d failed", os.getpid())
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)


def _end_with(parent: int) -> None:
    """End this process when the one that began it is gone, however it went."""

    def watch() -> None:
        while os.getppid() == parent:
            threading.Event().wait(1.0)
        os.kill(os.getpid(), signal.SIGTERM)

    threading.Thread(target=watch, name="parent", daemon=True).start()


def _ended(begun: dict[int, float]) -> list[tuple[int, int]]:
    """Which of the processes have ended, and how."""
    found = []
    for pid in list(begun):
        try:
            done, status = os.waitpid(pid, os.WNOHANG)
        except ChildProcessError:
            done, status = pid, 0
        if done:
            found.append((pid, os.waitstatus_to_exitcode(status)))
    return found


def _how(status: int) -> str:
    return f"killed by {signal.Signals(-status).name}" if status < 0 else f"exit status {status}"


def _end_all(begun: dict[int, float]) -> None:
    """Tell all of them to end, and wait; kill those that do not."""
    for number, until in ((signal.SIGTERM, _TO_END), (signal.SIGKILL, _LOOKS)):
        for pid in begun:
            with suppress(ProcessLookupError):
                os.kill(pid, number)
        end = time.monotonic() + until
        while begun and time.monotonic() < end:
            for pid, _ in _ended(begun):
                del begun[pid]
            time.sleep(_LOOKS / 2)
