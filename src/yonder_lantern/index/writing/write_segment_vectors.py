"""The vectors of the segments of a new generation."""

from __future__ import annotations

import shutil
from collections.abc import Collection
from pathlib import Path
from typing import cast

import numpy as np

from ...embedding import Embedding
from ...settings import EmbeddingSettings
from ..manifest import EmbeddingEntry, Manifest
from ..open_segment import OpenSegment
from ..passage_set import SegmentPassages
from ..passage_vectors import load_vectors, save_vectors, vectors_path
from ..store import DocumentStore

_EMBEDDED_AT_ONCE = 50_000  # passages; a bound on memory


def write_vectors(
    folder: Path,
    store: DocumentStore,
    known: Collection[str],
    new: Manifest,
    segments: list[OpenSegment],
    embedding: Embedding,
    settings: EmbeddingSettings,
    written: list[Path],
) -> None:
    """Write the vectors of every segment that has none under the new embedding.

    ``known`` names the segments whose vectors, where they are there, are whole.
    """
    embedding_entry = cast(EmbeddingEntry, new.embedding)
    for entry, opened in zip(new.segments, segments, strict=True):
        path = vectors_path(folder, entry.name, embedding_entry.key)
        if not (path.exists() and entry.name in known):
            shutil.rmtree(path, ignore_errors=True)
            segment = opened.segment
            there = np.ones(len(segment.lengths), dtype=bool)
            if opened.live is not None:
                there = opened.live[segment.passages[:, 0]]
            vectors = np.zeros((len(there), embedding.dimensions), dtype=np.float32)
            whole = SegmentPassages(segment, store, np.flatnonzero(there), words=opened.words)
            for numbers, passages in whole.parts(_EMBEDDED_AT_ONCE):
                vectors[numbers] = embedding.passages(passages)
            written += [path, path.with_name(path.name + ".new")]
            save_vectors(path, vectors, settings.dtype, settings.approximate_from)
        clusters = load_vectors(path).clusters
        if clusters is not None:
            embedding_entry.recall[entry.name] = round(clusters.recall, 4)
