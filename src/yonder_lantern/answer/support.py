"""How far a unit bears out an answer to a question: features, and a probability."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import astuple, dataclass, fields

from ..embedding import TermEmbedding
from ..records import Findings
from .units import Unit
from .wanted import Wanted, codes_in, has_wanted


@dataclass(frozen=True, slots=True)
class Features:
    """What is known of a unit as an answer, each between 0 and 1.

    Attributes
    ----------
    own : float
        Share of the question's weight that stands in the unit itself.
    around : float
        The same for the unit with its headings, header row and introduction.
    beside : float
        The same, with the sentence before.
    passage : float
        The same for the whole hit the unit came from.
    meaning : float
        Cosine of the unit's vector with the question's.
    form : float
        1 when it holds the kind of thing asked for (number, time).
    codes : float
        Share of the question's codes in the unit or above it; 1 without any.
    unknown : float
        Share of the question's weight that stands nowhere at all.
    found : float
        The score of the unit's hit.
    """

    own: float
    around: float
    beside: float
    passage: float
    meaning: float
    form: float
    codes: float
    unknown: float
    found: float


# Ranking of units: fitted on the demo's `fit` questions by benchmarks/fit_support.py.
RANKING = Features(
    own=1.0,
    around=0.6,
    beside=0.2,
    passage=0.2,
    meaning=0.5,
    form=0.25,
    codes=0.6,
    unknown=0.0,
    found=0.4,
)
# Log-odds that an answer which begins with this unit is right; same script.
SUPPORT = Features(
    own=2.0,
    around=2.0,
    beside=0.5,
    passage=1.0,
    meaning=1.0,
    form=0.5,
    codes=1.0,
    unknown=-3.0,
    found=0.5,
)
INTERCEPT = -4.0


class Judge:
    """Judges units against one question.

    Parameters
    ----------
    findings : Findings
        Its terms weigh the question's words.
    kind : Wanted
        What the question asks for.
    embedding : TermEmbedding or None
    """

    def __init__(
        self, findings: Findings, kind: Wanted, embedding: TermEmbedding | None
    ) -> None:
        self._weights: Mapping[str, float] = findings.terms
        self._total = sum(findings.terms.values()) or 1.0
        self._kind = kind
        self._codes = codes_in(findings.asked.question)
        self._embedding = embedding
        self._question = embedding.question(dict.fromkeys(findings.terms, 1)) if embedding else None
        unknown = [term for term, known in findings.known.items() if not known]
        self._unknown = self._share(frozenset(unknown))
        self._hits = {hit.rank: hit for hit in findings.hits}
        self._passages = {
            hit.rank: frozenset(
                share.term for stage in hit.account.stages[:1] for share in stage.terms
            )
            for hit in findings.hits
        }

    def features(self, unit: Unit) -> Features:
        """The features of a unit."""
        own = frozenset(unit.terms)
        around = own | unit.above
        meaning = 0.0
        if self._embedding is not None and self._question is not None:
            counts: dict[str, int] = {}
            for term in unit.terms:
                counts[term] = counts.get(term, 0) + 1
            meaning = max(0.0, float(self._embedding.question(counts) @ self._question))
        codes = 1.0
        if self._codes:
            codes = len(self._codes & around) / len(self._codes)
        return Features(
            own=self._share(own),
            around=self._share(around),
            beside=self._share(around | unit.beside),
            passage=self._share(self._passages[unit.rank] | around),
            meaning=meaning,
            form=float(has_wanted(self._kind, unit.text)),
            codes=codes,
            unknown=self._unknown,
            found=self._hits[unit.rank].score,
        )

    def covered(self, terms: frozenset[str]) -> frozenset[str]:
        """Those of some terms that the question has."""
        return terms & self._weights.keys()

    def _share(self, terms: frozenset[str]) -> float:
        here = sum(weight for term, weight in self._weights.items() if term in terms)
        return here / self._total


def ranking(features: Features) -> float:
    """How good a unit is among those of one question."""
    return _dot(features, RANKING)


def support(features: Features) -> float:
    """The estimated probability that an answer beginning with a unit is right."""
    return 1 / (1 + math.exp(-(INTERCEPT + _dot(features, SUPPORT))))


def _dot(features: Features, weights: Features) -> float:
    return math.fsum(a * b for a, b in zip(astuple(features), astuple(weights), strict=True))


FEATURE_NAMES = tuple(field.name for field in fields(Features))
