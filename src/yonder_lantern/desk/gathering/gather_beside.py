"""An index beside the desk's own, of the same documents under other settings."""

from __future__ import annotations

import shutil
from contextlib import ExitStack
from pathlib import Path

from ...core import Cancel, NeverCancel, Progress, no_progress
from ...index import copy_index
from ...settings import Settings
from .run_gather import GatherOrder, gather, publish_as_cut


def gather_beside(
    folder: Path,
    state: Path,
    beside: Path,
    settings: Settings,
    *,
    read_again: bool,
    progress: Progress = no_progress,
    cancel: Cancel | None = None,
) -> None:
    """Make an index under other settings. What does not differ is shared with the desk's own.

    Parameters
    ----------
    folder, state : Path
        The desk's, with the index to begin from.
    beside : Path
        The state folder of the new index. It is there when all went well, or not at all.
    settings : Settings
    read_again : bool
        Whether the sources are read again, since the settings differ in how. Otherwise the texts
        are cut and embedded as they are in the index.
    progress : Progress
    cancel : Cancel, optional

    Raises
    ------
    YonderError
        The sources cannot be read, or the embedding cannot be made.
    """
    making = beside.with_name(beside.name + ".making")
    shutil.rmtree(making, ignore_errors=True)
    with ExitStack() as stack:
        stack.callback(shutil.rmtree, making, ignore_errors=True)
        copy_index(state / "index", making / "index")
        order = GatherOrder(progress=progress, cancel=cancel or NeverCancel())
        if read_again:
            gather(folder, making, settings, order)
        else:
            publish_as_cut(folder, making, settings, order)
        making.rename(beside)
