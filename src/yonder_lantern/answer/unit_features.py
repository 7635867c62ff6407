"""What is known of a unit as an answer to a question."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import cast

import numpy as np

from ..core import BlockKind, Memo, SearchResult
from ..embedding import Embedding, TermEmbedding
from ..search import analyser_for
from .answer_type import AnswerType, amount_words, amounts_in, codes_in, in_range
from .asked_for import AskedFor
from .likes import Likes
from .openings import Openings, sentences_within
from .units import Shape, Unit

_FIGURE = re.compile(r"(?<![\w.,-])\d+(?:[.,:]\d+)*(?![\w-])")
_ASKS_CODE = re.compile(
    r"\b(?:commands?|command line|code|examples?|syntax|snippet|script|write|type|call|invoke)\b",
    re.I,
)
_LONG = 1000  # characters
_NEAR_TOP = 3  # blocks from the beginning of its section at which a unit is half as near
_OPENING = 4  # terms that a sentence opens with
_WIDE_LEAD = 0.2  # of two cosines: what is further apart is as good as alone
_SHORT = 12  # terms at which a unit counts as half brief


@dataclass(frozen=True, slots=True)
class UnitFeatures:
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
    rank : float
        1 over the rank of the unit's hit.
    first : float
        1 in the first hit.
    relative : float
        The score of the unit's hit over the first one's.
    heading : float
        Share of the question's weight in the heading or term right above the unit.
    term : float
        1 where the question's words hold the term the unit defines.
    opening : float
        How near the unit is to the beginning of its section: 1 for its first block.
    length : float
        How long the unit is: 0 for a few words, 1 for a thousand characters.
    item, row, code, paragraph, definition, introduced, section : float
        1 for a unit of that shape.
    opens : float
        The largest share that stands in the first words of a sentence.
    describes : float
        1 where a sentence opens with what is to be described ("What is X?") and tells of it.
    asks_code : float
        1 for code where the question asks for a command, an example or how to call something.
    reading : float
        Cosine of the unit's hit with the question by the reading model; 0 where it was not read.
    lead : float
        How far that is above the best of any other document among the hits; negative where below.
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
    rank: float
    first: float
    relative: float
    heading: float
    term: float
    opening: float
    length: float
    item: float
    row: float
    code: float
    paragraph: float
    definition: float
    introduced: float
    section: float
    opens: float
    describes: float
    asks_code: float
    reading: float
    lead: float


class Judge:
    """Judges units against one question.

    Parameters
    ----------
    result : SearchResult
        Its terms weigh the question's words.
    kind : AnswerType
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
        self._memo: Memo = result.memo.setdefault("features", {})
        if "likes" not in self._memo:
            self._memo["likes"] = Likes.of_words(embedding, tuple(result.words))
        self._likes: Likes | None = self._memo["likes"]
        self._openings = Openings(result.query.question, analyser_for(result.language))
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
        self._reading = {
            hit.rank: stage.score if (stage := hit.breakdown.stage("reading")) else 0.0
            for hit in result.hits
        }
        unknown = [term for term, known in result.known.items() if not known]
        self._unknown = self._share(frozenset(unknown))
        self._hits = {hit.rank: hit for hit in result.hits}
        self._best_score = max((hit.score for hit in result.hits), default=0.0) or 1.0
        self.asks_code = bool(_ASKS_CODE.search(whole))
        self._names: dict[tuple[str, int], frozenset[str]] = {}
        self._passages = {
            hit.rank: frozenset(
                share.term
                for stage in hit.breakdown.stages
                if stage.stage == "lexical"
                for share in stage.terms
            )
            for hit in result.hits
        }

    def features(self, units: Sequence[Unit]) -> list[UnitFeatures]:
        """The features of each unit."""
        if self._likes is not None:
            learnt: set[tuple[str, int, int]] = self._memo.setdefault("learnt", set())
            new = [unit for unit in units if unit.span not in learnt]
            learnt.update(unit.span for unit in new)
            leads = {unit.context_header for unit in new}
            self._likes.learn([*leads, *(unit.text for unit in new)])
        meanings, within = self._meanings(units), sentences_within(units)
        return [
            self._of(unit, near, inside or [unit])
            for unit, near, inside in zip(units, meanings, within, strict=True)
        ]

    def _meanings(self, units: Sequence[Unit]) -> Sequence[float]:
        """How near each unit's vector is to the question's."""
        if self._embedding is None or self._question is None:
            return [self._near[unit.rank] for unit in units]
        known: dict[tuple[str, int, int], float] = self._memo.setdefault("meanings", {})
        new = [unit for unit in units if unit.span not in known]
        if new:
            vectors = self._embedding.questions(
                [unit.text for unit in new], [Counter(unit.terms) for unit in new]
            )
            nearness = np.maximum(vectors @ self._question, 0.0).tolist()
            known.update({unit.span: near for unit, near in zip(new, nearness, strict=True)})
        return [known[unit.span] for unit in units]

    def _of(self, unit: Unit, meaning: float, inside: Sequence[Unit]) -> UnitFeatures:
        """The features of a unit: those that are its own, and those of the hit it came from."""
        key = (unit.span, unit.shape, tuple(one.span for one in inside))
        if key not in self._memo:
            self._memo[key] = self._own(unit, inside)
        own: UnitFeatures
        own, context = self._memo[key]
        score = self._hits[unit.rank].score
        return replace(
            own,
            passage=self._share(self._passages[unit.rank] | context),
            meaning=meaning,
            found=score,
            rank=1 / unit.rank,
            first=float(unit.rank == 1),
            reading=self._reading_of(unit),
            lead=self._lead(unit),
            relative=score / self._best_score,
        )

    def _reading_of(self, unit: Unit) -> float:
        """What the reading model says of the unit's hit; of a row's, what it says of the best one.

        A hit's vector tells of its whole table, and so neither for nor against a row of it.
        """
        own = self._reading[unit.rank]
        return max(self._reading.values()) if own and unit.shape is Shape.ROW else own

    def _lead(self, unit: Unit) -> float:
        """How far the unit's hit is above all of other documents to the reading model."""
        own = self._reading[unit.rank]
        if not own or unit.shape is Shape.ROW:
            return 0.0
        others = (
            self._reading[rank]
            for rank, hit in self._hits.items()
            if hit.document != unit.document.id
        )
        return min(max((own - max(others, default=0.0)) / _WIDE_LEAD, -1.0), 1.0)

    def _own(self, unit: Unit, inside: Sequence[Unit]) -> tuple[UnitFeatures, frozenset[str]]:
        """The features that are a unit's own, whatever its hit, and the terms in and above it."""
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
        features = UnitFeatures(
            in_unit=self._share(unit_terms),
            context=self._share(context),
            beside=beside,
            passage=0.0,
            meaning=0.0,
            form=form,
            fitting=form * beside,
            codes=codes,
            unknown=self._unknown,
            range=fits,
            close=self._closeness(unit.terms),
            shortness=_SHORT / (_SHORT + len(unit.terms)),
            found=0.0,
            near=self._nearness(unit, context),
            figures=self._figured(unit, fits),
            rank=0.0,
            first=0.0,
            relative=0.0,
            heading=self._share(self._name_above(unit)),
            term=self._term(unit),
            opening=self._opening(unit),
            length=min(1.0, (unit.end - unit.start) / _LONG),
            item=float(unit.shape is Shape.ITEM),
            row=float(unit.shape is Shape.ROW),
            code=float(unit.shape is Shape.CODE),
            paragraph=float(unit.shape is Shape.PARAGRAPH),
            definition=float(unit.shape is Shape.DEFINITION),
            introduced=float(unit.shape is Shape.INTRODUCED),
            section=float(unit.shape is Shape.SECTION),
            opens=max(self._share(frozenset(one.terms[:_OPENING])) for one in inside),
            describes=max(map(self._openings.describes, inside)),
            asks_code=float(self.asks_code and unit.kind is BlockKind.CODE),
            reading=0.0,
            lead=0.0,
        )
        return features, context

    def _name_above(self, unit: Unit) -> frozenset[str]:
        """The terms of the term that the unit defines, or of the heading it stands under."""
        block = unit.document.blocks[unit.block]
        if unit.shape is Shape.DEFINITION:
            return self._terms_of(unit, unit.block)
        return self._terms_of(unit, block.header if block.header >= 0 else block.under)

    def _terms_of(self, unit: Unit, block: int) -> frozenset[str]:
        """The terms of a block of the unit's document; remembered."""
        if block < 0:
            return frozenset()
        key = unit.document.id, block
        if key not in self._names:
            named = unit.document.blocks[block]
            text = unit.document.text[named.start : named.end]
            self._names[key] = frozenset(analyser_for(unit.document.language).terms(text))
        return self._names[key]

    def _term(self, unit: Unit) -> float:
        block = unit.document.blocks[unit.block]
        named = unit.block if unit.shape is Shape.DEFINITION else block.header
        if named < 0 or unit.document.blocks[named].kind is not BlockKind.TERM:
            return 0.0
        said = self._terms_of(unit, named)
        return float(bool(said) and said <= self._weights.keys())

    @staticmethod
    def _opening(unit: Unit) -> float:
        after = unit.block - unit.document.blocks[unit.block].under - 1
        return _NEAR_TOP / (_NEAR_TOP + after)

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


FEATURE_NAMES = tuple(field.name for field in fields(UnitFeatures))
