"""When an embedding is kept, and from what a new one is learned."""

from __future__ import annotations

import logging
from dataclasses import replace
from pathlib import Path
from typing import cast

from ...embedding import (
    Embedding,
    EmbeddingContext,
    EmbeddingMethod,
    LearnedEmbedding,
    load_embedding,
)
from ...settings import EmbeddingSettings
from ..manifest import EmbeddingEntry, Manifest
from ..open_segment import OpenSegment
from ..passage_set import TrainingPassages, label_to_learn_from
from ..store import DocumentStore

_LOG = logging.getLogger("yonder_lantern.index")
_METRIC = "cosine"
_DRIFT = 0.05  # of what an embedding captured when it was learned, the loss that matters
_DRIFT_SAMPLE = 2000
_LEARNED_FROM = 200_000  # passages at most, about: more teach little and take memory


def fits(entry: EmbeddingEntry, method: EmbeddingMethod, settings: EmbeddingSettings) -> bool:
    """Whether an embedding is as the settings want it."""
    return (entry.spec, entry.dtype, entry.approximate_from) == (
        method.spec,
        settings.dtype,
        settings.approximate_from,
    )


def kept_embedding(
    folder: Path,
    store: DocumentStore,
    entry: EmbeddingEntry | None,
    method: EmbeddingMethod,
    settings: EmbeddingSettings,
    drift: int,
    new: Manifest,
    segments: list[OpenSegment],
    context: EmbeddingContext,
    *,
    learn_anew: bool,
) -> EmbeddingEntry | None:
    """The embedding there is, if it is as wanted and fits the passages still.

    One that was learned is measured when many passages have changed: whether it
    captures as much of them as of those it was learned from.
    """
    if entry is None or not fits(entry, method, settings):
        return None
    if not method.learns:
        return replace(entry, recall={})
    if learn_anew:
        return None
    changed = entry.changed_since + drift
    if changed <= settings.retrain_at * entry.passages:
        return replace(entry, changed_since=changed, recall={})
    path = folder / "embeddings" / entry.hash
    learned = cast(LearnedEmbedding, load_embedding(entry.method, path, context))
    training = TrainingPassages(segments, new.audiences, entry.learned_from, store)
    if not hasattr(learned, "captures") or changed > entry.passages:
        return None
    captured = learned.captures(training.sample(_DRIFT_SAMPLE))
    if captured < (1 - _DRIFT) * learned.captured:
        _LOG.info("the embedding captures %.3f, was %.3f", captured, learned.captured)
        return None
    return replace(entry, changed_since=0, passages=len(training), recall={})


def make_embedding(
    folder: Path,
    store: DocumentStore,
    new: Manifest,
    segments: list[OpenSegment],
    method: EmbeddingMethod,
    settings: EmbeddingSettings,
) -> Embedding | None:
    """A new embedding, noted in the manifest; None where there is too little to learn from."""
    label = label_to_learn_from(new.audiences, segments, settings.learn_from)
    passages = TrainingPassages(segments, new.audiences, label, store)
    embedding = method.make(passages.sample(_LEARNED_FROM))
    if embedding is None:
        return None
    embedding.save(folder / "embeddings")
    new.embedding = EmbeddingEntry(
        method=embedding.method,
        hash=embedding.hash,
        dimensions=embedding.dimensions,
        metric=_METRIC,
        dtype=settings.dtype,
        spec=method.spec,
        learned_from=label if method.learns else "",
        learn_from=settings.learn_from if method.learns else "",
        passages=len(passages),
        approximate_from=settings.approximate_from,
    )
    return embedding
