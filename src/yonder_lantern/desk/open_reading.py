"""The reading model over the passages of a desk's index: opened, and let read them."""

from __future__ import annotations

import logging
import sqlite3
from contextlib import closing
from pathlib import Path

from ..core import Cancel, CancelledError, GatherReport, Progress, YonderError
from ..index import Snapshot, open_snapshot
from ..reading import Adaptation, ReadPassages, reading_model
from ..settings import Settings

_LOG = logging.getLogger("yonder_lantern.desk")


def open_reading(
    snapshot: Snapshot, folder: Path, state: Path, settings: Settings
) -> ReadPassages | None:
    """What the reading model says of a generation's passages; None where it is not used.

    A model that cannot be read is told of, and left out: words and embedding answer.

    Raises
    ------
    SettingsError
        The adaptation that the settings name cannot be used.
    """
    if settings.reading.vectors == "off":
        return None
    try:
        model = reading_model()
    except YonderError as error:
        told = (error.what, error.where, error.remedy)
        _LOG.warning("%s (%s): finding goes on without it; %s", *told)
        return None
    adapted = settings.reading.adaptation
    adaptation = Adaptation.load(folder / adapted, model.hash) if adapted else None
    return ReadPassages(snapshot, model, state, adaptation)


def read_passages(
    index: Path,
    folder: Path,
    state: Path,
    settings: Settings,
    report: GatherReport,
    progress: Progress,
    cancel: Cancel,
) -> None:
    """Have the passages of an index read, as many as the settings say, and report how many are.

    The index answers before and without it: a full disk is told of, and fails nothing.

    Parameters
    ----------
    index, folder, state : Path
        Those of the index, the desk and its state.
    settings : Settings
    report : GatherReport
    progress, cancel
        What was read before an interruption stays.

    Raises
    ------
    CancelledError
        Interrupted.
    """
    most = None if settings.reading.vectors == "eager" else settings.reading.at_gather
    with closing(open_snapshot(index)) as snapshot:
        reading = open_reading(snapshot, folder, state, settings)
        if reading is None:
            return
        try:
            report.read, whole = reading.fill(index, most, progress, cancel)
        except (OSError, sqlite3.Error) as error:
            why = f"what the reading model read could not be kept: {error}"
            report.notices.append(f"{why}; questions are answered without it, gather again")
            return
        except CancelledError as error:
            what = "interrupted while reading passages; the index is complete, and they stay read"
            raise CancelledError(what, error.where, "gather again: it goes on from there") from None
    if report.read < whole:
        report.notices.append(
            f"the reading model has read {report.read:,} of {whole:,} passages; the next gather "
            'goes on, and questions read what they bring up ([reading] vectors = "eager" reads all)'
        )
