"""The segments of the generation before, with what was removed or moved since."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from ...platform.storage import save_array
from ..manifest import Manifest, SegmentEntry
from ..open_segment import OpenSegment
from ..segment import Segment


def surviving(
    folder: Path,
    entries: Sequence[SegmentEntry],
    segments: Sequence[OpenSegment],
    removed: Collection[int],
    moved_rows: Mapping[int, tuple[int, int, int, int]],
    new: Manifest,
    written: list[Path],
) -> list[OpenSegment]:
    """The segments that still hold a document, with new deletions where there are any."""
    kept: list[OpenSegment] = []
    for entry, opened in zip(entries, segments, strict=True):
        rows = opened.segment.documents[:, 0]
        gone = np.isin(rows, list(removed))
        live = ~gone if opened.live is None else opened.live & ~gone
        if not live.any():
            continue
        deletions = entry.deletions
        if gone.any():
            deletions = f"{entry.name}.{new.generation}.npy"
            path = folder / "deletions" / deletions
            written.append(path)
            save_array(path, np.packbits(~live))
        segment, rows_file = with_moved_rows(
            folder, moved_rows, entry, opened.segment, new, written
        )
        new.segments.append(
            SegmentEntry(entry.name, entry.documents, entry.passages, deletions, rows_file)
        )
        kept.append(OpenSegment(segment, opened.vectors, None if live.all() else live))
    return kept


def with_moved_rows(
    folder: Path,
    moved_rows: Mapping[int, tuple[int, int, int, int]],
    entry: SegmentEntry,
    segment: Segment,
    new: Manifest,
    written: list[Path],
) -> tuple[Segment, str]:
    """A segment whose documents stand in their new rows, and the file that says so."""
    moved = np.isin(segment.documents[:, 0], list(moved_rows))
    if not moved.any():
        return segment, entry.rows
    documents = np.array(segment.documents)
    for ordinal in np.flatnonzero(moved).tolist():
        documents[ordinal] = moved_rows[int(documents[ordinal, 0])]
    name = f"{entry.name}.{new.generation}.npy"
    path = folder / "rows" / name
    written.append(path)
    save_array(path, documents)
    return replace(segment, documents=documents), name
