"""The two stages' scores of each candidate and of its document, on one scale.

References
----------
Fox, Shaw (1994), Combination of multiple searches, for sums of normalised scores.
Cormack, Clarke, Büttcher (2009), Reciprocal rank fusion outperforms Condorcet and
individual rank learning methods. Callan (1994), Passage-level evidence in document
retrieval, and Bendersky, Kurland (2008), Utilizing passage-based language models
for document retrieval, for a passage and its whole document.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..core import Memo
from ..index import IndexReader
from ..platform.storage import Array
from .lexical import LexicalScores
from .vector import VectorScores
from .weights import RankingWeights

_RANK_OFFSET = 60  # of fusion by ranks
LEXICAL, LEXICAL_DOCUMENT = "lexical", "lexical, document"
VECTOR, VECTOR_DOCUMENT = "vector", "vector, document"
READING = "reading"


@dataclass(frozen=True, slots=True)
class Part:
    """One column of the sum: each candidate's score, the best one, and the weight."""

    name: str
    scores: Array
    best: float
    weight: float
    values: Array  # what the weight multiplies: 0 to 1

    @property
    def shares(self) -> Array:
        return np.asarray(self.values * self.weight)


def fuse(
    candidates: Array,
    fusion: str,
    weights: RankingWeights,
    lexical: LexicalScores,
    vector: VectorScores,
    index: IndexReader,
    documents: int,
    memo: Memo,
) -> list[Part]:
    """The parts of the candidates' scores that come from the two stages.

    Parameters
    ----------
    candidates : int64 array
        Passages, ascending.
    fusion : {"scores", "ranks"}
    weights : RankingWeights
        Of the lexical stage, 0 leaves it out, 1 the vector stage.
    lexical : LexicalScores
    vector : VectorScores
    index : IndexReader
    documents : int
        How many the caller may see.
    memo : dict
        What was worked out before for the same question.
    """
    parts = []
    share, lexical_weight = weights.document_share, weights.lexical
    lexical_wholes, vector_wholes = _wholes(candidates, lexical, vector, index, documents, memo)
    if lexical_weight > 0:
        scores = lexical.scores[candidates]
        weight = lexical_weight * (1 - share)
        parts.append(part(fusion, LEXICAL, scores, lexical.best_score, weight))
        whole = lexical_wholes()
        best = float(whole.max(initial=0.0))
        parts.append(part(fusion, LEXICAL_DOCUMENT, whole, best, lexical_weight * share))
    if lexical_weight < 1 and vector.works:
        weight = 1 - lexical_weight
        scores = vector.scores(candidates)
        best = max(vector.best_score, float(scores.max(initial=0.0)))
        parts.append(part(fusion, VECTOR, scores, best, weight * (1 - share)))
        whole = vector_wholes()
        parts.append(part(fusion, VECTOR_DOCUMENT, whole, best, weight * share))
    return [part for part in parts if part.weight > 0]


def _wholes(
    candidates: Array,
    lexical: LexicalScores,
    vector: VectorScores,
    index: IndexReader,
    documents: int,
    memo: Memo,
) -> tuple[Callable[[], Array], Callable[[], Array]]:
    """Each candidate's score of its whole document by either stage, whatever the weights."""
    distinct, at = np.unique(index.document_of(candidates), return_inverse=True)

    def of(stage: str, scores: Callable[[Array], Array]) -> Array:
        known: dict[int, float] = memo.setdefault(stage, {})  # the same for every set of candidates
        unknown = [one for one in distinct.tolist() if one not in known]
        if unknown:
            known.update(zip(unknown, scores(np.array(unknown)).tolist(), strict=True))
        return np.array([known[one] for one in distinct.tolist()])[at]

    return (
        lambda: of(LEXICAL_DOCUMENT, lambda distinct: lexical.document_scores(distinct, documents)),
        lambda: of(VECTOR_DOCUMENT, vector.document_scores),
    )


def part(fusion: str, name: str, scores: Array, best: float, weight: float) -> Part:
    """A column of the sum: scores, on a scale from 0 to 1."""
    positive = np.maximum(scores, 0.0)
    if fusion == "ranks":
        order = np.argsort(np.argsort(-positive, kind="stable"), kind="stable") + 1
        values = np.where(positive > 0, (_RANK_OFFSET + 1) / (_RANK_OFFSET + order), 0.0)
    else:
        values = np.minimum(positive / best, 1.0) if best > 0 else np.zeros(len(scores))
    return Part(name, scores, best, weight, values)


def pairs(parts: list[Part]) -> list[list[Part]]:
    """The parts, stage by stage."""
    by_stage: dict[str, list[Part]] = {}
    for part in parts:
        by_stage.setdefault(part.name.partition(",")[0], []).append(part)
    return list(by_stage.values())
