"""Adapts a lexicon to the passages of a corpus, as an encoder sees them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ...core import Cancel, NeverCancel
from ...platform.storage import Array, TermTable
from ...text import folded_words, sentences
from ..spherical import unit_rows
from .encoded_passages import SeenPassages
from .fit import fit_sums, refine
from .lexicon_units import Units
from .own_words import learn
from .table import LexiconTable

_SENTENCES = 3  # of a passage that are fitted to beside it: questions are about as long
_FEWEST = 4  # words of such a sentence
_STRENGTH = 0.03
_EPOCHS = 4
_RATE = 0.003
_EACH = 10  # of so many texts one is kept for measuring
_SEED = 1


@dataclass(frozen=True, slots=True)
class Adapted:
    """A lexicon adapted to a corpus.

    Attributes
    ----------
    table : LexiconTable
    passages, sentences : int
        What it was fitted to.
    before, after : float
        The mean cosine between its vectors and the encoder's, of passages and
        sentences that it was not fitted to; then it is fitted to all.
    """

    table: LexiconTable
    passages: int
    sentences: int
    before: float
    after: float


def adapt(
    table: LexiconTable,
    passages: Sequence[str],
    embed: Callable[[Sequence[str]], Array],
    *,
    model: str,
    cancel: Cancel | None = None,
) -> Adapted:
    """Fit the vectors of a corpus's words to what an encoder says of its passages.

    The encoder's space is turned onto the lexicon's (orthogonal Procrustes problem,
    Schönemann 1966); words the corpus does not have keep their vectors. The passages
    themselves keep what the encoder says of them; questions and later passages are
    sums.

    Parameters
    ----------
    table : LexiconTable
    passages : sequence of str
    embed : callable
        Gives the encoder's unit vectors of texts.
    model : str
        The encoder's name, for the record.
    cancel : Cancel, optional
    """
    cancel = cancel or NeverCancel()
    learned = learn(table, map(folded_words, passages))
    texts = [*passages, *_sentences(passages)]
    seen = embed(texts)
    names = [*table.units.all(), *learned.words.all()]
    vectors = np.concatenate([table.vectors(np.arange(len(table.units))), learned.vectors])
    units = Units(table.units, TermTable.of(learned.words.all()), many=True)
    counts = units.counts(map(folded_words, texts), len(names))
    counts = counts.multiply(learned.weights[None, :]).tocsr().astype(np.float32)
    sums = counts @ vectors
    lengths = np.maximum(np.linalg.norm(sums, axis=1), 1e-6)
    scaled = counts.multiply(1 / lengths[:, None]).tocsr().astype(np.float32)

    left, _, right = np.linalg.svd(seen.T @ unit_rows(sums), full_matrices=False)
    wanted = unit_rows(seen @ (left @ right).astype(np.float32))

    def fitted(chosen: Array) -> Array:
        start = fit_sums(scaled[chosen], wanted[chosen], vectors, strength=_STRENGTH)
        return refine(
            start,
            counts[chosen],
            wanted[chosen],
            epochs=_EPOCHS,
            rate=_RATE,
            seed=_SEED,
            cancel=cancel,
        )

    every = np.arange(len(texts))
    held = every % _EACH == 0
    before = _cosine(sums[held], wanted[held])
    after = _cosine(counts[held] @ fitted(every[~held]), wanted[held])
    about = {"adapted from": table.hash, "by": model, "texts": len(texts), **table.about}
    known = SeenPassages.of(passages, wanted[: len(passages)])
    adapted = LexiconTable.of(names, fitted(every), about, known)
    return Adapted(adapted, len(passages), len(texts) - len(passages), before, after)


def _sentences(passages: Sequence[str]) -> list[str]:
    """Some sentences of each passage, evenly spread."""
    found: dict[str, None] = {}
    for text in passages:
        spans = [span for span in sentences(text) if text[slice(*span)].count(" ") >= _FEWEST - 1]
        step = max(1, len(spans) // _SENTENCES)
        for start, end in spans[::step][:_SENTENCES]:
            if end - start < len(text):
                found[" ".join(text[start:end].split())] = None
    return list(found)


def _cosine(sums: Array, wanted: Array) -> float:
    return float((unit_rows(sums) * wanted).sum(axis=1).mean()) if len(sums) else 0.0
