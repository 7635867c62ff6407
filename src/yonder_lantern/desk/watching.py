"""Gathering again whenever something on this machine's disk has changed."""

from __future__ import annotations

import time
from collections.abc import Iterator

from ..core import Cancel, GatherReport, Progress, YonderError, no_progress
from ..ingest.sources import FolderSource
from ..settings import FolderSettings, RecordingSettings, SourceSettings
from .desk import Desk

Look = dict[str, tuple[int, int]]  # key → size and time


def watch(
    desk: Desk, *, cancel: Cancel, seconds: float = 2.0, progress: Progress = no_progress
) -> Iterator[GatherReport]:
    """Gather, then again each time a file of a folder has come, gone or changed.

    Folders are looked at every so often, by size and time; what changes twice
    within one look is gathered once. Other kinds of source are gathered at the
    beginning only.

    Parameters
    ----------
    desk : Desk
    cancel : Cancel
        Ends it.
    seconds : float
        Between two looks.
    progress : Progress
    """
    folders = [source for source in desk.settings.source if _folder_of(source)]
    seen = {source.name: _look(desk, source) for source in folders}
    yield desk.gather(progress=progress, cancel=cancel)
    while not _waited(seconds, cancel):
        changed = []
        for source in folders:
            now = _look(desk, source)
            if now != seen[source.name]:
                seen[source.name] = now
                changed.append(source.name)
        if changed:
            yield desk.gather(sources=changed, progress=progress, cancel=cancel)


def _folder_of(source_settings: SourceSettings) -> str:
    if isinstance(source_settings, FolderSettings):
        return source_settings.folder
    if isinstance(source_settings, RecordingSettings) and "://" not in source_settings.recordings:
        return source_settings.recordings
    return ""


def _look(desk: Desk, source_settings: SourceSettings) -> Look | None:
    """What is in a folder now; None while it cannot be read."""
    source = FolderSource(source_settings.name, desk.folder / _folder_of(source_settings))
    try:
        source.check()
        return {one.key: (one.stamp.size, one.stamp.modified_ns) for one in source.items()}
    except (YonderError, OSError):
        return None


def _waited(seconds: float, cancel: Cancel) -> bool:
    """Wait; whether it was cut short."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if cancel.is_set():
            return True
        time.sleep(min(0.1, seconds))
    return cancel.is_set()
