"""Processes that end with the one that started them."""

from __future__ import annotations

import ctypes
import signal
import sys
from collections.abc import Callable
from functools import cache
from typing import Any

_PR_SET_PDEATHSIG = 1


@cache
def _prctl() -> Any:
    """Linux's own call; None elsewhere. Looked up before a process is started, not in it."""
    return getattr(ctypes.CDLL(None), "prctl", None) if sys.platform == "linux" else None


def die_with_parent(number: signal.Signals) -> Callable[[], None] | None:
    """What a new process calls to be sent a signal when its parent ends, killed or not.

    References
    ----------
    Linux manual, prctl(2), PR_SET_PDEATHSIG.
    """
    prctl = _prctl()
    if prctl is None:
        return None

    def call() -> None:
        prctl(_PR_SET_PDEATHSIG, int(number))

    return call
