"""How far a unit bears out an answer to a question: features, and a probability."""

from __future__ import annotations

import itertools
import math
import operator
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import cast

import numpy as np

from ..core import SearchResult
from ..embedding import Embedding, TermEmbedding
from ..search import analyser_for
from .answer_type import AnswerType, amount_words, amounts_in, codes_in, in_range
from .asked_for import AskedFor
from .likes import Likes
from .units import Unit

_FIGURE = re.compile(r"(?<![\w.,-])\d+(?:[.,:]\d+)*(?![\w-])")
_SHORT = 12  # terms at which a unit counts as half brief


@dataclass(frozen=True, slots=True)
class Features:
    """What is known of a unit as an answer, each between 0 and 1.

    Attributes
    ----------
    in_unit : float
        Share of the question's weight that stands in the unit itself.
    context : float
        The same for the unit with its headings, header row and introduction.
    beside : float
        The same, with the sentence before.
    passage : float
        The same for the whole hit the unit came from.
    meaning : float
        Cosine of the unit's vector with the question's.
    form : float
        1 when it holds the kind of thing asked for: a price, a place, a number of what is
        counted; one half when what is counted stands above a row.
    fitting : float
        ``beside`` times ``form``: one without the other is little.
    codes : float
        Share of the question's codes in the unit or above it; 1 without any.
    unknown : float
        Share of the question's weight that stands nowhere at all.
    range : float
        1 when an amount asked about lies in the unit's range, 0 when it lies
        outside, one half when there is nothing to compare.
    close : float
        How near to each other the question's words stand in the unit.
    shortness : float
        How little else the unit says: 1 for a short one, towards 0 for a long.
    found : float
        The score of the unit's hit.
    near : float
        Share of the question's weight that stands in the unit or above it, or whose like
        does: a word counts as far as the nearest one there is its like.
    figures : float
        Share of the years and other numbers of the question that stand in the unit,
        above it, or in its range; 1 without any.
    """

    in_unit: float
    context: float
    beside: float
    passage: float
    meaning: float
    form: float
    fitting: float
    codes: float
    unknown: float
    range: float
    close: float
    shortness: float
    found: float
    near: float
    figures: float


# Both sets of weights are fitted on the demo's `fit` questions by benchmarks/fit_answerer.py.
RANKING = Features(
    in_unit=1.43,
    context=1.68,
    beside=3.35,
    passage=2.02,
    meaning=3.30,
    form=2.33,
    fitting=2.78,
    codes=2.09,
    unknown=0.00,
    range=2.22,
    close=0.00,
    shortness=0.34,
    found=2.18,
    near=3.65,
    figures=2.72,
)
SUPPORT = Features(
    in_unit=0.00,
    context=0.00,
    beside=1.07,
    passage=1.15,
    meaning=0.00,
    form=0.26,
    fitting=1.53,
    codes=0.57,
    unknown=0.00,
    range=1.37,
    close=0.00,
    shortness=0.00,
    found=0.00,
    near=1.44,
    figures=1.60,
)
INTERCEPT = -6.10


class Judge:
    """Judges units against one question.

    Parameters
    ----------
    result : SearchResult
        Its terms weigh the question's words.
    kind : Wanted
        What the question asks for.
    embedding : Embedding or None
        Units are compared with the question where its vectors are sums over terms;
        else a unit is as near as its hit.
    """

    def __init__(self, result: SearchResult, kind: AnswerType, embedding: Embedding | None) -> None:
        self._weights: Mapping[str, float] = result.terms
        self._total = sum(result.terms.values()) or 1.0
        self._asked_for = AskedFor(result, kind)
        whole = f"{result.query.background} {result.query.question}"
        self._codes = codes_in(whole)
        self._asked_words = [
            (terms, max((result.terms.get(term, 0.0) for term in terms), default=0.0))
            for terms in result.words.values()
        ]
        self._likes = Likes.of_words(embedding, tuple(result.words))
        self._figures = frozenset(_FIGURE.findall(whole))
        self._amounts = amounts_in(whole)
        self._amount_terms = frozenset(
            term
            for amount in amount_words(whole)
            for term in analyser_for(result.language).terms(amount)
        )
        self._embedding = (
            cast(TermEmbedding, embedding) if hasattr(embedding, "questions") else None
        )
        terms = dict.fromkeys(result.terms, 1.0)
        self._question = self._embedding.question(whole, terms) if self._embedding else None
        self._near = {
            hit.rank: stage.score if (stage := hit.breakdown.stage("vector")) else 0.0
            for hit in result.hits
        }
        unknown = [term for term, known in result.known.items() if not known]
        self._unknown = self._share(frozenset(unknown))
        self._hits = {hit.rank: hit for hit in result.hits}
        self._passages = {
            hit.rank: frozenset(
                share.term
                for stage in hit.breakdown.stages
                if stage.stage == "lexical"
                for share in stage.terms
            )
            for hit in result.hits
        }

    def features(self, units: Sequence[Unit]) -> list[Features]:
        """The features of each unit."""
        if self._likes is not None:
            leads = {unit.context_header for unit in units}
            self._likes.learn([*leads, *(unit.text for unit in units)])
        meanings = self._meanings(units)
        return [self._of(unit, near) for unit, near in zip(units, meanings, strict=True)]

    def _meanings(self, units: Sequence[Unit]) -> Sequence[float]:
        """How near each unit's vector is to the question's."""
        if self._embedding is None or self._question is None:
            return [self._near[unit.rank] for unit in units]
        vectors = self._embedding.questions(
            [unit.text for unit in units], [Counter(unit.terms) for unit in units]
        )
        nearness: list[float] = np.maximum(vectors @ self._question, 0.0).tolist()
        return nearness

    def _of(self, unit: Unit, meaning: float) -> Features:
        unit_terms = frozenset(unit.terms)
        fits = in_range(self._amounts, unit.text)
        if fits == 1.0:  # "over 10 m, up to 12 m" says 11 metres, in other words
            unit_terms |= self._amount_terms
        form = self._asked_for.held_by(unit)
        if form == 1.0:  # "10 knots" says how fast, in other words
            unit_terms |= self._asked_for.asking
        context = unit_terms | unit.above
        codes = 1.0
        if self._codes:
            codes = len(self._codes & context) / len(self._codes)
        beside = self._share(context | unit.beside)
        return Features(
            in_unit=self._share(unit_terms),
            context=self._share(context),
            beside=beside,
            passage=self._share(self._passages[unit.rank] | context),
            meaning=meaning,
            form=form,
            fitting=form * beside,
            codes=codes,
            unknown=self._unknown,
            range=fits,
            close=self._closeness(unit.terms),
            shortness=_SHORT / (_SHORT + len(unit.terms)),
            found=self._hits[unit.rank].score,
            near=self._nearness(unit, context),
            figures=self._figured(unit, fits),
        )

    def _nearness(self, unit: Unit, context: frozenset[str]) -> float:
        if self._likes is None:
            return self._share(context)
        likes = np.maximum(self._likes.of(unit.text), self._likes.of_header(unit.context_header))
        total = 0.0
        for at, (terms, weight) in enumerate(self._asked_words):
            here = any(term in context for term in terms)
            total += weight if here else weight * float(likes[at])
        return total / (sum(weight for _, weight in self._asked_words) or 1.0)

    def _figured(self, unit: Unit, fits: float) -> float:
        if not self._figures or fits == 1.0:
            return 1.0
        there = frozenset(_FIGURE.findall(f"{unit.context_header} {unit.text}"))
        return len(self._figures & there) / len(self._figures)

    def _closeness(self, terms: tuple[str, ...]) -> float:
        """Of neighbouring question words in the unit, the mean nearness of each pair."""
        places = [at for at, term in enumerate(terms) if term in self._weights]
        pairs = [1 / (b - a) for a, b in itertools.pairwise(places) if terms[a] != terms[b]]
        wanted_pairs = max(1, len(self._weights) - 1)
        return min(1.0, sum(pairs) / wanted_pairs)

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
    return math.fsum(map(operator.mul, _numbers(features), _numbers(weights)))


FEATURE_NAMES = tuple(field.name for field in fields(Features))
_numbers = operator.attrgetter(*FEATURE_NAMES)
