"""Processes that each do a share of the work, on one core each."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context
from typing import Any

from .storage import die_with_parent

# Each process has a core; libraries that would take all cores only wait for each other.
ONE_THREAD_EACH = dict.fromkeys(("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"), "1")


def _begin(parent: int, initializer: Callable[..., object], arguments: tuple[Any, ...]) -> None:
    """Leave Ctrl-C to the process that waits for this one, and end when that is killed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent = die_with_parent(signal.SIGKILL)
    if end_with_parent is not None:
        end_with_parent()
    if os.getppid() != parent:  # it was killed before this could be asked for
        os._exit(1)
    initializer(*arguments)


@contextmanager
def process_pool(
    count: int, initializer: Callable[..., object], arguments: tuple[Any, ...]
) -> Iterator[ProcessPoolExecutor]:
    """A pool of fresh processes, ended with what is under way when the block is left.

    Parameters
    ----------
    count : int
    initializer : callable
        Called first in each process; picklable, like its arguments.
    arguments : tuple
    """
    before = {name: os.environ.get(name) for name in ONE_THREAD_EACH}
    pool = ProcessPoolExecutor(
        count,
        mp_context=get_context("spawn"),
        initializer=_begin,
        initargs=(os.getpid(), initializer, arguments),
    )
    try:
        os.environ.update(ONE_THREAD_EACH)
        try:
            for _ in range(count):  # each task that finds no idle process starts one
                pool.submit(int)
        finally:
            for name, value in before.items():
                if value is None:
                    os.environ.pop(name, None)
                else:
                    os.environ[name] = value
        yield pool
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
