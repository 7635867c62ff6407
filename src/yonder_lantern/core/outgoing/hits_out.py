"""Hits and the explanation of a rank, as they go out."""

from __future__ import annotations

from dataclasses import asdict

import msgspec

from ..documents import Location
from ..search_result import Explanation, Hit, ScoreBreakdown, SearchResult


class LocationOut(msgspec.Struct, frozen=True):
    """Where a span is: ``shown`` for people, the rest for programs."""

    shown: str
    heading: tuple[str, ...]
    lines: tuple[int, int] | None
    rows: tuple[int, int] | None
    seconds: tuple[float, float] | None
    pages: tuple[int, int] | None
    parts: tuple[str, ...]
    anchor: str

    @classmethod
    def of(cls, location: Location) -> LocationOut:
        """A location as it goes out."""
        return cls(shown=str(location), **asdict(location))


class StageOut(msgspec.Struct, frozen=True):
    """What one stage says of a passage; ``share`` is what it adds to the score."""

    stage: str
    rank: int | None
    score: float
    best: float
    weight: float
    share: float
    terms: dict[str, float]


class FeatureOut(msgspec.Struct, frozen=True):
    """A feature of a passage, 0 to 1, its weight, and what it adds to the score."""

    feature: str
    value: float
    weight: float
    share: float


def _stages(breakdown: ScoreBreakdown) -> list[StageOut]:
    return [
        StageOut(
            stage.stage,
            stage.rank,
            stage.score,
            stage.best,
            stage.weight,
            stage.share,
            {share.term: share.share for share in stage.terms},
        )
        for stage in breakdown.stages
    ]


def _features(breakdown: ScoreBreakdown) -> list[FeatureOut]:
    return [FeatureOut(one.feature, one.value, one.weight, one.share) for one in breakdown.features]


class SpanOut(msgspec.Struct, frozen=True):
    """A half-open code-point range of a document's canonical text."""

    document: str
    start: int
    end: int


class HitOut(msgspec.Struct, frozen=True):
    """A passage found; the shares of ``breakdown`` and ``features`` add up to its score."""

    rank: int
    document: str
    version: str
    title: str
    start: int
    end: int
    text: str
    context_header: str
    location: LocationOut
    score: float
    also: list[SpanOut]
    linked: list[str]
    joined: list[tuple[int, int]]
    before: str
    after: str
    breakdown: list[StageOut]
    features: list[FeatureOut]

    @classmethod
    def of(cls, hit: Hit) -> HitOut:
        """A hit as it goes out."""
        return cls(
            hit.rank,
            hit.document,
            hit.version,
            hit.title,
            hit.start,
            hit.end,
            hit.text,
            hit.context_header,
            LocationOut.of(hit.location),
            hit.score,
            [SpanOut(one.document, one.start, one.end) for one in hit.also],
            list(hit.linked),
            list(hit.joined),
            hit.before,
            hit.after,
            _stages(hit.breakdown),
            _features(hit.breakdown),
        )


class SearchOut(msgspec.Struct, frozen=True):
    """What a search found: ``yonder find --json``."""

    question: str
    terms: dict[str, float]
    known: dict[str, int]
    read_as: dict[str, str]
    other_forms: dict[str, list[str]]
    phrases: dict[str, int]
    hits: list[HitOut]
    milliseconds: dict[str, float]

    @classmethod
    def of(cls, question: str, result: SearchResult) -> SearchOut:
        """What a search found, as it goes out."""
        return cls(
            question,
            dict(result.terms),
            dict(result.known),
            dict(result.read_as),
            {form: list(others) for form, others in result.other_forms.items()},
            dict(result.phrases),
            [HitOut.of(hit) for hit in result.hits],
            dict(result.times),
        )


class NearWordsOut(msgspec.Struct, frozen=True):
    """A word of the query, the word of the passage nearest to it, and their cosine."""

    in_query: str
    in_passage: str
    cosine: float


class ExplanationOut(msgspec.Struct, frozen=True):
    """Why a passage stands where it does: ``yonder find --why-not --json``."""

    document: str
    start: int
    end: int
    text: str
    location: LocationOut
    allowed: bool
    candidate: bool
    rank: int | None
    ranked: int
    score: float
    last_score: float
    missing: list[str]
    nearest: list[NearWordsOut]
    breakdown: list[StageOut]
    features: list[FeatureOut]

    @classmethod
    def of(cls, told: Explanation) -> ExplanationOut:
        """An explanation as it goes out."""
        return cls(
            told.document,
            told.start,
            told.end,
            told.text,
            LocationOut.of(told.location),
            told.allowed,
            told.candidate,
            told.rank,
            told.ranked,
            told.breakdown.score,
            told.last_score,
            list(told.missing),
            [NearWordsOut(one.in_query, one.in_passage, one.cosine) for one in told.nearest],
            _stages(told.breakdown),
            _features(told.breakdown),
        )
