"""A segment as one generation sees it: its arrays, its vectors and which documents are there."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ..core import IndexStateError
from ..embedding import unit_rows
from ..platform.storage import REBUILD, Array, checked_array
from .manifest import Manifest
from .passage_vectors import PassageVectors, load_vectors, vectors_path
from .segment import Segment
from .segment_words import SegmentWords


@dataclass(frozen=True, slots=True)
class OpenSegment:
    """A segment as a generation sees it.

    ``live`` says of each document whether it is there; None means all are. ``words`` are those
    of its passages, where it has just been made of them.
    """

    segment: Segment
    vectors: PassageVectors | None
    live: Array | None
    words: SegmentWords | None = None


def open_segment(folder: Path, manifest: Manifest, number: int) -> OpenSegment:
    """Map one segment of a manifest, its vectors and its deletions."""
    entry = manifest.segments[number]
    own_dimensions = manifest.embedding.dimensions if manifest.embedding else 0
    segment = Segment.load(folder / "segments" / entry.name)
    vectors = None
    if manifest.embedding:
        vectors = load_vectors(vectors_path(folder, entry.name, manifest.embedding.key))
    live = None
    if entry.deletions:
        packed = checked_array(folder / "deletions" / entry.deletions).whole()
        live = ~np.unpackbits(packed, count=entry.documents).astype(bool)
    if entry.rows:
        segment = replace(segment, documents=checked_array(folder / "rows" / entry.rows).whole())
    if (
        len(segment.lengths) != entry.passages
        or len(segment.documents) != entry.documents
        or (vectors is not None and len(vectors) != entry.passages)
        or (vectors is not None and vectors.dimensions != own_dimensions)
    ):
        raise IndexStateError(
            f"segment {entry.name} does not fit its manifest",
            str(folder),
            REBUILD,
        )
    return OpenSegment(segment, vectors, live)


def document_vectors(opened: OpenSegment, documents: Array) -> Array:
    """The mean vector of the passages of each of some documents of a segment, of unit length."""
    bounds = opened.segment.first_passages()
    vectors = opened.vectors
    found = np.zeros((len(documents), vectors.dimensions if vectors else 1), dtype=np.float32)
    sizes = np.diff(bounds)[documents]
    filled = np.flatnonzero(sizes)
    if vectors is None or not len(filled):
        return found
    ends = np.cumsum(sizes[filled])
    starts = ends - sizes[filled]
    within = np.arange(ends[-1]) - np.repeat(starts, sizes[filled])
    rows = vectors.rows(np.repeat(bounds[documents[filled]], sizes[filled]) + within)
    found[filled] = unit_rows(np.add.reduceat(rows, starts, axis=0))
    return found
