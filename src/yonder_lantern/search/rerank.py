"""One score for each candidate: what both stages say, and what is known of it besides.

References
----------
Fox, Shaw (1994), Combination of multiple searches, for sums of normalised scores.
Cormack, Clarke, Büttcher (2009), Reciprocal rank fusion outperforms Condorcet and
individual rank learning methods. Callan (1994), Passage-level evidence in document
retrieval, and Bendersky, Kurland (2008), Utilizing passage-based language models
for document retrieval, for a passage and its whole document.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import asdict

from ..core import FeatureShare, ScoreBreakdown, StageBreakdown, TermShare
from ..platform.storage import Array
from ..settings import FindSettings
from .features import Evidence
from .lexical import LexicalScores
from .vector import VectorScores

_LEAST_READ = 30  # candidates that are read, at least; else half of this more than are wanted
_RANK_OFFSET = 60  # of fusion by ranks
LEXICAL, LEXICAL_DOCUMENT = "lexical", "lexical, document"
VECTOR, VECTOR_DOCUMENT = "vector", "vector, document"


@dataclass(frozen=True, slots=True)
class _Part:
    """One column of the sum: each candidate's score, the best one, and the weight."""

    name: str
    scores: Array
    best: float
    weight: float
    values: Array  # what the weight multiplies: 0 to 1

    @property
    def shares(self) -> Array:
        return np.asarray(self.values * self.weight)


class Ranking:
    """Candidates with their scores, and the account of each.

    Parameters
    ----------
    candidates : int64 array
        Passages, ascending.
    settings : FindSettings
    lexical_weight : float
        0 leaves the lexical stage out, 1 the vector stage.
    lexical : LexicalScores
    vector : VectorScores
    evidence : Evidence
    documents : int
        How many the caller may see.
    limit : int
        How many are wanted; some more are read.
    """

    def __init__(
        self,
        candidates: Array,
        settings: FindSettings,
        lexical_weight: float,
        lexical: LexicalScores,
        vector: VectorScores,
        evidence: Evidence,
        documents: int,
        limit: int,
    ) -> None:
        self._lexical = lexical
        self._vector = vector
        self._fusion = settings.fusion
        parts = self._stages(
            candidates, settings, lexical_weight, lexical, vector, evidence, documents
        )
        weights: dict[str, float] = asdict(settings.weights)
        both = [np.mean([part.values for part in pair], axis=0) for pair in _pairs(parts)]
        agreement = np.minimum(both[0], both[1]) if len(both) == 2 else np.zeros(len(candidates))
        known = evidence.known_at_once(candidates, weights, agreement)
        sums = _sum([part.shares for part in parts], len(candidates))
        for name, values in known.items():
            sums = sums + weights[name] * values
        read = max(_LEAST_READ, limit + _LEAST_READ // 2)
        if len(candidates) > read:
            kept = np.sort(np.argsort(-sums, kind="stable")[:read])
        else:
            kept = np.arange(len(candidates))
        self.passages = candidates[kept]
        known = {name: values[kept] for name, values in known.items()}
        known |= evidence.read(self.passages, weights)
        self._parts = [
            _Part(part.name, part.scores[kept], part.best, part.weight, part.values[kept])
            for part in parts
        ]
        self._parts += [
            _Part(name, known[name], 1.0, weight, known[name])
            for name, weight in weights.items()
            if name in known
        ]
        self.scores = _sum([part.shares for part in self._parts], len(kept))

    def _stages(
        self,
        candidates: Array,
        settings: FindSettings,
        lexical_weight: float,
        lexical: LexicalScores,
        vector: VectorScores,
        evidence: Evidence,
        documents: int,
    ) -> list[_Part]:
        layout = evidence.snapshot.layout
        parts = []
        share = settings.document_share
        distinct, at = np.unique(layout.document_of(candidates), return_inverse=True)
        if lexical_weight > 0:
            scores = lexical.scores[candidates]
            weight = lexical_weight * (1 - share)
            parts.append(self._part(LEXICAL, scores, lexical.best_score, weight))
            whole = lexical.document_scores(distinct, documents)[at]
            best = float(whole.max(initial=0.0))
            parts.append(self._part(LEXICAL_DOCUMENT, whole, best, lexical_weight * share))
        if lexical_weight < 1 and vector.works:
            weight = 1 - lexical_weight
            scores = vector.scores(candidates)
            best = max(vector.best_score, float(scores.max(initial=0.0)))
            parts.append(self._part(VECTOR, scores, best, weight * (1 - share)))
            whole = vector.document_scores(distinct)[at]
            parts.append(self._part(VECTOR_DOCUMENT, whole, best, weight * share))
        return [part for part in parts if part.weight > 0]

    def _part(self, name: str, scores: Array, best: float, weight: float) -> _Part:
        positive = np.maximum(scores, 0.0)
        if self._fusion == "ranks":
            order = np.argsort(np.argsort(-positive, kind="stable"), kind="stable") + 1
            values = np.where(positive > 0, (_RANK_OFFSET + 1) / (_RANK_OFFSET + order), 0.0)
        else:
            values = np.minimum(positive / best, 1.0) if best > 0 else np.zeros(len(scores))
        return _Part(name, scores, best, weight, values)

    def breakdown(
        self, at: int, lexical_rank: int | None, vector_rank: int | None
    ) -> ScoreBreakdown:
        """How the score of the candidate at a place came about."""
        passage = int(self.passages[at])
        ranks = {LEXICAL: lexical_rank, VECTOR: vector_rank}
        stages, features = [], []
        for part in self._parts:
            share = float(part.values[at]) * part.weight
            if part.name in (LEXICAL, LEXICAL_DOCUMENT, VECTOR, VECTOR_DOCUMENT):
                terms: tuple[TermShare, ...] = ()
                if part.name == LEXICAL:
                    terms = self._lexical.shares(passage)
                elif part.name == VECTOR:
                    terms = self._vector.shares(passage)
                stages.append(
                    StageBreakdown(
                        stage=part.name,
                        rank=ranks.get(part.name),
                        score=max(0.0, float(part.scores[at])),
                        best=part.best,
                        weight=part.weight,
                        share=share,
                        terms=terms,
                    )
                )
            else:
                features.append(FeatureShare(part.name, float(part.values[at]), part.weight, share))
        return ScoreBreakdown(tuple(stages), tuple(features))

    def table(self) -> Mapping[str, Array]:
        """Each part's values, for fitting weights to them."""
        return {part.name: part.values for part in self._parts}


def _pairs(parts: list[_Part]) -> list[list[_Part]]:
    """The parts of each stage."""
    by_stage: dict[str, list[_Part]] = {}
    for part in parts:
        by_stage.setdefault(part.name.partition(",")[0], []).append(part)
    return list(by_stage.values())


def _sum(columns: list[Array], size: int) -> Array:
    """Columns added one after another, as an account adds its shares: to the same bit."""
    total = np.zeros(size, dtype=np.float64)
    for column in columns:
        total = total + column
    return total
