"""One score for each candidate: what both stages say, and what is known of it besides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..core import FeatureShare, ScoreBreakdown, StageBreakdown, TermShare
from ..platform.storage import Array, distinct
from .features import Evidence
from .fuse import LEXICAL, LEXICAL_DOCUMENT, READING, VECTOR, VECTOR_DOCUMENT, Part, fuse, pairs
from .fuse import part as part_of
from .lexical import LexicalScores
from .reading import ReadingScores
from .vector import VectorScores
from .weights import RankingWeights

_READ_NOW = 16  # candidates that the reading model reads at once, where it has not before
_LEAST_READ = 30  # candidates that are read, at least; else half of this more than are wanted


@dataclass(frozen=True)
class Ranking:
    """Candidates with their scores, and the parts that make up each.

    Attributes
    ----------
    passages : int64 array
        Ascending.
    scores : float64 array
    parts : sequence of Part
    lexical : LexicalScores
    vector : VectorScores
    """

    passages: Array
    scores: Array
    parts: Sequence[Part]
    lexical: LexicalScores
    vector: VectorScores

    def breakdown(self, at: int, ranks: Mapping[str, int | None]) -> ScoreBreakdown:
        """How the score of the candidate at a place came about, with its rank by some stages."""
        passage = int(self.passages[at])
        stages, features = [], []
        for part in self.parts:
            share = float(part.values[at]) * part.weight
            if part.name in (LEXICAL, LEXICAL_DOCUMENT, VECTOR, VECTOR_DOCUMENT, READING):
                terms: tuple[TermShare, ...] = ()
                if part.name == LEXICAL:
                    terms = self.lexical.shares(passage)
                elif part.name == VECTOR:
                    terms = self.vector.shares(passage)
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
        return {part.name: part.values for part in self.parts}


def rank(
    candidates: Array,
    fusion: str,
    weights: RankingWeights,
    lexical: LexicalScores,
    vector: VectorScores,
    reading: ReadingScores,
    evidence: Evidence,
    documents: int,
    limit: int,
) -> Ranking:
    """Score candidates; those that could be among the best are read for their last features.

    They are those that are best by words and embedding, and those that the reading model's kept
    vectors put among the best. It reads the best of them now if it has not before.

    Parameters
    ----------
    candidates : int64 array
        Passages, ascending.
    fusion : {"scores", "ranks"}
    weights : RankingWeights
        Of the lexical stage, 0 leaves it out, 1 the vector stage.
    lexical : LexicalScores
    vector : VectorScores
    reading : ReadingScores
    evidence : Evidence
    documents : int
        How many the caller may see.
    limit : int
        How many are wanted; some more are read.
    """
    key = ("sums", fusion, weights, candidates.tobytes())
    if key not in evidence.memo:  # the same candidates are ranked to more than one depth
        evidence.memo[key] = _at_once(
            candidates, fusion, weights, lexical, vector, evidence, documents
        )
    parts: list[Part]
    known: dict[str, Array]
    parts, known, sums = evidence.memo[key]
    read = max(_LEAST_READ, limit + _LEAST_READ // 2)
    kept = np.arange(len(candidates))
    if len(candidates) > read:
        order = np.argsort(-sums, kind="stable")
        kept = order[:read]
        if reading.works and weights.reading > 0:
            near = sums + weights.reading * reading.kept(candidates)
            kept = distinct(np.concatenate((kept, np.argsort(-near, kind="stable")[:read])))
        kept = np.sort(kept)
    passages = candidates[kept]
    known = {name: values[kept] for name, values in known.items()}
    known |= evidence.read(passages, weights.features)
    kept_parts = [
        Part(part.name, part.scores[kept], part.best, part.weight, part.values[kept])
        for part in parts
    ]
    kept_parts += [
        Part(name, known[name], 1.0, weight, known[name])
        for name, weight in weights.features.items()
        if name in known
    ]
    if reading.works and weights.reading > 0:
        kept_parts.insert(len(parts), _read(passages, sums[kept], fusion, weights, reading))
    scores = _sum([part.shares for part in kept_parts], len(kept))
    return Ranking(passages, scores, kept_parts, lexical, vector)


def _read(
    passages: Array, sums: Array, fusion: str, weights: RankingWeights, reading: ReadingScores
) -> Part:
    """What the reading model says; of those it never read, the best so far are read now."""
    cosines = reading.kept(passages)
    first = np.argsort(-sums, kind="stable")[:_READ_NOW]
    cosines[first] = reading.scores(passages[first])
    return part_of(
        fusion, READING, cosines, max(float(cosines.max(initial=0.0)), 0.0), weights.reading
    )


def _at_once(
    candidates: Array,
    fusion: str,
    weights: RankingWeights,
    lexical: LexicalScores,
    vector: VectorScores,
    evidence: Evidence,
    documents: int,
) -> tuple[list[Part], dict[str, Array], Array]:
    """What is known of candidates before any is read: both stages, features, and their sum."""
    parts = fuse(
        candidates,
        fusion,
        weights,
        lexical,
        vector,
        evidence.snapshot,
        documents,
        evidence.memo,
    )
    both = [np.mean([part.values for part in pair], axis=0) for pair in pairs(parts)]
    agreement = np.minimum(both[0], both[1]) if len(both) == 2 else np.zeros(len(candidates))
    known = evidence.known_at_once(candidates, weights.features, agreement)
    sums = _sum([part.shares for part in parts], len(candidates))
    for name, values in known.items():
        sums = sums + weights.features[name] * values
    return parts, known, sums


def _sum(columns: list[Array], size: int) -> Array:
    """Columns added one after another, as an account adds its shares: to the same bit."""
    total = np.zeros(size, dtype=np.float64)
    for column in columns:
        total = total + column
    return total
