"""What the documents of a new generation are about."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path
from typing import cast

import numpy as np

from ...settings import EmbeddingSettings
from ..manifest import EmbeddingEntry, Manifest, TopicsEntry
from ..open_segment import OpenSegment, document_vectors
from ..passage_set import label_to_learn_from
from ..passage_vectors import load_vectors, vectors_path
from ..store import DocumentStore
from ..topics import Topics

_TOPICS_FROM = 50_000  # documents at most, about


def write_topics(
    folder: Path,
    store: DocumentStore,
    before: TopicsEntry | None,
    new: Manifest,
    segments: list[OpenSegment],
    settings: EmbeddingSettings,
    drift: int,
    written: list[Path],
    *,
    anew: bool,
) -> None:
    """Learn what the documents are about, unless little has changed since that was done."""
    entry = cast(EmbeddingEntry, new.embedding)
    if before and not anew:
        changed = before.changed_since + drift
        if changed <= settings.retrain_at * before.passages:
            new.topics = replace(before, changed_since=changed)
            return
    opened = [
        OpenSegment(one.segment, load_vectors(vectors_path(folder, e.name, entry.key)), one.live)
        for e, one in zip(new.segments, segments, strict=True)
    ]
    label = label_to_learn_from(new.audiences, segments, settings.learn_from)
    allowed = np.array([label in labels for labels in new.audiences], dtype=bool)
    chosen = []
    for one in opened:
        use = allowed[one.segment.documents[:, 1]]
        chosen.append(np.flatnonzero(use if one.live is None else use & one.live))
    every = max(1, sum(map(len, chosen)) // _TOPICS_FROM)
    vectors, rows = [], []
    for one, documents in zip(opened, chosen, strict=True):
        vectors.append(document_vectors(one, documents[::every]))
        rows += one.segment.documents[documents[::every], 0].tolist()
    topics = None
    if rows:
        terms = store.key_terms(rows)
        topics = Topics.learn(np.concatenate(vectors), [terms.get(row, ()) for row in rows])
    if topics is None:
        return
    new.topics = TopicsEntry(str(new.generation), sum(len(one.segment.lengths) for one in opened))
    path = folder / "topics" / new.topics.name
    shutil.rmtree(path, ignore_errors=True)
    written.append(path)
    topics.save(path)
