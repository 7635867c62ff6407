"""What is done now and then while a desk is served: gathering, and sweeping what is old."""

from __future__ import annotations

import logging
import threading
import time
from pathlib import Path

from ..core import YonderError
from ..platform.storage import FileLock, private_folder
from ..settings import parse_duration
from .desk import Desk

_LOG = logging.getLogger("yonder_lantern.desk")
_LOOKS = 5.0  # seconds between two looks at what is due
_SWEEPS = 60.0  # seconds between two sweeps


def keep_house(desk: Desk, stop: threading.Event) -> None:
    """Gather and sweep whenever it is due, until told to stop.

    Of all processes that serve a desk, one does; when it is gone, another.

    Parameters
    ----------
    desk : Desk
    stop : threading.Event
    """
    every = desk.settings.serve.gather_every
    seconds = parse_duration(every).total_seconds() if every else 0.0
    folder = private_folder(desk.state / "served")
    lock = FileLock(folder / "house", shared=False)
    swept = 0.0
    try:
        while not lock.take():
            if stop.wait(_LOOKS):
                return
        while not stop.is_set():
            if time.monotonic() - swept > _SWEEPS:
                swept = time.monotonic()
                _sweep(desk)
            if seconds and time.time() - _last(folder) >= seconds:
                _gather(desk, folder)
            stop.wait(min(_LOOKS, seconds) if seconds else _LOOKS)
    finally:
        lock.release()


def _sweep(desk: Desk) -> None:
    try:
        for name, count in desk.sweep().items():
            _LOG.info("swept %d of %s", count, name)
    except (OSError, YonderError) as error:
        _LOG.warning("what is old could not be swept: %s", error)


def _gather(desk: Desk, folder: Path) -> None:
    """Gather; one that fails is tried again when the next is due."""
    (folder / "gathered").touch()
    try:
        report = desk.gather()
    except (OSError, YonderError) as error:
        _LOG.warning("the gather that was due failed: %s", error)
        return
    if not report.nothing_to_do:
        _LOG.info("gathered: %d documents, %d problems", report.documents, len(report.problems))
    for problem in report.problems:
        _LOG.warning("%s: %s", problem.item, problem.reason)


def _last(folder: Path) -> float:
    """When the last gather that was due began; 0 before the first."""
    try:
        return (folder / "gathered").stat().st_mtime
    except FileNotFoundError:
        return 0.0
