"""The reading model's vectors of the passages of a generation: filled in after it is published.

Each segment has a folder of its own for each model, beside the vectors of the embedding. It is
replaced as a whole whenever more of its passages have been read.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from ..core import IndexStateError
from ..platform.storage import (
    REBUILD,
    Array,
    checked_array,
    distinct,
    replace_bytes,
    save_array,
    whole_folder,
)
from .layout import Layout
from .open_segment import OpenSegment
from .passage_vectors import PassageVectors, vectors_path
from .store import DocumentStore
from .vector_column import VectorColumn

MARK = "reading.mark"  # a file of the index that changes whenever more has been read
_KIND = "reading-"
_ROWS, _LOOKED_AT = "exact.npy", "looked_at.npy"


class ReadingVectors:
    """The vectors that one model gave the passages of a generation.

    Parameters
    ----------
    folder : Path
        Of the index.
    names : sequence of str
        Of the segments.
    opened : sequence of OpenSegment
    layout : Layout
    store : DocumentStore
    model : str
        The model's hash.
    dimensions : int

    Raises
    ------
    IndexStateError
        A file is missing or damaged.
    """

    def __init__(
        self,
        folder: Path,
        names: Sequence[str],
        opened: Sequence[OpenSegment],
        layout: Layout,
        store: DocumentStore,
        model: str,
        dimensions: int,
    ) -> None:
        self._folder = folder
        self._names = names
        self._opened = opened
        self._layout = layout
        self._store = store
        self._model = model
        self._dimensions = dimensions
        self._looked_at: list[Array] = []
        self._vectors: list[PassageVectors | None] = []
        for number, one in enumerate(opened):
            read = self._read(number, len(one.segment.lengths))
            self._vectors.append(read[0] if read else None)
            looked_at = read[1] if read else np.zeros(len(one.segment.lengths), dtype=bool)
            self._looked_at.append(looked_at)
        self._column = VectorColumn(layout, self._vectors)

    def _path(self, number: int) -> Path:
        return vectors_path(self._folder, self._names[number], _KIND + self._model)

    def _read(self, number: int, passages: int) -> tuple[PassageVectors, Array] | None:
        path = self._path(number)
        if not path.is_dir():
            return None
        looked_at = checked_array(path / _LOOKED_AT).whole()
        vectors = PassageVectors(checked_array(path / _ROWS))
        if len(vectors) != passages or vectors.dimensions != self._dimensions:
            raise IndexStateError("the vectors do not fit their segment", str(path), REBUILD)
        return vectors, np.unpackbits(looked_at, count=passages).astype(bool)

    def rows(self, passages: Array) -> Array:
        """The vectors of passages, float32, zeros where there is none."""
        return self._column.rows_or_zeros(passages, self._dimensions)

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector, if so many were read."""
        read = self._all_looked_at()
        if not read.all():  # the rows of the others are zeros: where few are read, few are scanned
            allowed = read if allowed is None else allowed & read
        return self._column.nearest(vector, limit, allowed)

    def texts(self, passages: Array) -> list[tuple[str, str]]:
        """The language and the words of passages, the context header before them, in order."""
        from .passage_set import SegmentPassages

        found: list[tuple[str, str]] = [("", "")] * len(passages)
        number = np.searchsorted(self._layout.passages, passages, side="right") - 1
        for one in distinct(number).tolist():
            here = np.flatnonzero(number == one)
            here = here[np.argsort(passages[here], kind="stable")]
            own = passages[here] - self._layout.passages[one]
            texts = SegmentPassages(self._opened[one].segment, self._store, own).with_language()
            for at, text in zip(here.tolist(), texts, strict=True):
                found[at] = text
        return found

    def looked_at(self, passages: Array) -> Array:
        """Which of some passages were looked at, whether they could be read or not."""
        return np.asarray(self._all_looked_at()[passages])

    def _all_looked_at(self) -> Array:
        return np.concatenate(self._looked_at) if self._looked_at else np.zeros(0, dtype=bool)

    def counts(self) -> tuple[int, int]:
        """How many of the passages that are there were looked at, and how many there are."""
        there = [self._there(number) for number in range(len(self._opened))]
        done = sum(
            int(np.count_nonzero(looked_at & own))
            for looked_at, own in zip(self._looked_at, there, strict=True)
        )
        return done, sum(int(np.count_nonzero(own)) for own in there)

    def unread(self) -> Iterator[Array]:
        """The passages that were not looked at, segment by segment, ascending."""
        for number, looked_at in enumerate(self._looked_at):
            own = np.flatnonzero(self._there(number) & ~looked_at)
            if len(own):
                yield own + self._layout.passages[number]

    def put(self, passages: Array, vectors: Array) -> None:
        """Keep the vectors of more passages of one segment; zeros for those that cannot be read."""
        number = int(np.searchsorted(self._layout.passages, passages[0], side="right")) - 1
        first = int(self._layout.passages[number])
        count = len(self._opened[number].segment.lengths)
        rows = self.rows(np.arange(first, first + count)).astype(np.float16)
        rows[passages - first] = vectors
        looked_at = self._looked_at[number].copy()
        looked_at[passages - first] = True
        path = self._path(number)
        with whole_folder(path) as beside:
            save_array(beside / _ROWS, rows)
            save_array(beside / _LOOKED_AT, np.packbits(looked_at))
        self._looked_at[number] = looked_at
        self._vectors[number] = PassageVectors(checked_array(path / _ROWS))
        for other in path.parent.glob(f"{self._names[number]}.{_KIND}*"):
            if other.name != path.name and not other.name.endswith(".new"):
                shutil.rmtree(other, ignore_errors=True)  # of a model that is not used any more

    def told(self) -> None:
        """Let those who have the generation open know that more was read."""
        replace_bytes(self._folder / MARK, os.urandom(8).hex().encode())

    def _there(self, number: int) -> Array:
        opened = self._opened[number]
        if opened.live is None:
            return np.ones(len(opened.segment.lengths), dtype=bool)
        return np.asarray(opened.live[opened.segment.passages[:, 0]])


def is_of_a_segment(name: str, segments: Sequence[str] | set[str]) -> bool:
    """Whether a folder of vectors is what a reading model gave one of some segments."""
    segment, _, kind = name.partition(".")
    return kind.startswith(_KIND) and segment in segments
