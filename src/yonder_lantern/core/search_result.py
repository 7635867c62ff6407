"""What a search yields: hits, and the account of every score."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from .documents import Document, Location
from .query import ResolvedQuery

Memo = dict[Any, Any]


@dataclass(frozen=True, slots=True)
class TermShare:
    """A term of the question and what it added to a stage's score."""

    term: str
    share: float


@dataclass(frozen=True, slots=True)
class StageBreakdown:
    """What one stage thought of one passage.

    ``share`` is what the stage added to the final score: its score, divided by
    the best score the stage gave any passage, times its weight.
    """

    stage: str
    rank: int | None
    score: float
    best: float
    weight: float
    share: float
    terms: tuple[TermShare, ...] = ()


@dataclass(frozen=True, slots=True)
class FeatureShare:
    """A feature of a passage, 0 to 1, its weight, and what it added to the score."""

    feature: str
    value: float
    weight: float
    share: float


@dataclass(frozen=True, slots=True)
class ScoreBreakdown:
    """The full account of a hit's score; the shares add up to it."""

    stages: tuple[StageBreakdown, ...]
    features: tuple[FeatureShare, ...] = ()

    @property
    def score(self) -> float:
        """The sum of the shares, which is the hit's score."""
        total = 0.0
        for share in (
            *(stage.share for stage in self.stages),
            *(feature.share for feature in self.features),
        ):  # one after another: `sum` rounds in a way of its own
            total += share
        return total

    def stage(self, name: str) -> StageBreakdown | None:
        """What one stage thought, if it was asked."""
        return next((stage for stage in self.stages if stage.stage == name), None)


@dataclass(frozen=True, slots=True)
class AlsoIn:
    """Another place where the same is said."""

    document: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class FoundSpan:
    """Where a hit is, how many tokens it has, and where the same is said."""

    document: str
    start: int
    end: int
    tokens: int
    also: tuple[AlsoIn, ...] = ()


@dataclass(frozen=True, slots=True)
class Hit:
    """A passage found.

    Attributes
    ----------
    document, version, title, language : str
        The document's id, version, title and language.
    start, end : int
        Half-open code-point range in the document's canonical text.
    text : str
        The words of that range, exactly.
    context_header : str
        Title, headings and header row; searched with the passage, never cited.
    location : Location
        Where the passage is, for a person.
    score : float
        The fused score; ``breakdown`` explains it.
    also : tuple of AlsoIn
        Other places where the same is said, with the same numbers, dates and codes.
    linked : tuple of str
        Ids of documents that belong with this one: named in its metadata, or of
        the same name with another suffix.
    joined : tuple of (int, int)
        The adjacent passages that were joined into it, if any.
    before, after : str
        The text around it, with ``find.neighbours``.
    """

    rank: int
    document: str
    version: str
    title: str
    language: str
    start: int
    end: int
    text: str
    context_header: str
    location: Location
    score: float
    breakdown: ScoreBreakdown
    also: tuple[AlsoIn, ...] = ()
    linked: tuple[str, ...] = ()
    joined: tuple[tuple[int, int], ...] = ()
    before: str = ""
    after: str = ""

    def __str__(self) -> str:
        where = self.location.within(self.document)
        return f"{self.rank}. {where} ({self.score:.3f})\n{self.text}"


@dataclass(frozen=True, slots=True)
class NearWords:
    """A word that was asked, the word of a passage nearest to it in meaning, and their cosine."""

    in_query: str
    in_passage: str
    cosine: float


@dataclass(frozen=True, slots=True)
class Explanation:
    """Why one passage stands where it does for a question, or is not found.

    Attributes
    ----------
    document : str
    start, end : int
        Half-open code-point range in the document's canonical text.
    text : str
    location : Location
    allowed : bool
        Whether the filter, the phrases in quotation marks and the caller's labels let
        it be found.
    candidate : bool
        Whether a stage, by itself, brought it among those that were ranked.
    rank : int or None
        Which one it is of those ranked, with itself among them; None if not allowed.
    ranked : int
        How many those are.
    breakdown : ScoreBreakdown
        Of the score it gets.
    last_score : float
        What the last hit that is shown scores; 0 if all are shown.
    missing : tuple of str
        Words of the question that stand neither in it nor in its context header.
    nearest : tuple of NearWords
    """

    document: str
    start: int
    end: int
    text: str
    location: Location
    allowed: bool
    candidate: bool
    rank: int | None
    ranked: int
    breakdown: ScoreBreakdown
    last_score: float
    missing: tuple[str, ...]
    nearest: tuple[NearWords, ...]


@dataclass(frozen=True, slots=True)
class SearchResult:
    """What a search hands on: hits, their documents, what was searched for.

    Attributes
    ----------
    query : ResolvedQuery
    hits : tuple of Hit
        Best first.
    documents : mapping of str to Document
        The documents of the hits, by id.
    terms : mapping of str to float
        The question's terms and their weights: inverse document frequency among
        the passages this caller may see, times how much the term counts.
    known : mapping of str to int
        In how many of those passages each term stands.
    words : mapping of str to tuple of str
        The question's words, as written, that were looked for, and their terms.
    language : str
        The language the question was taken to be in.
    generation : int
        The index generation searched.
    passages : int
        How many passages this caller may see.
    times : mapping of str to float
        Milliseconds by step.
    read_as : mapping of str to str
        Words that no document has, and what they were read as.
    other_forms : mapping of str to tuple of str
        Abbreviations and what they stand for, or the other way round.
    phrases : mapping of str to int
        What the question puts in quotation marks, and how many passages hold it.
    strength : float
        The first hit's score by the weights that support was fitted with, whatever ranked it.
    memo : dict
        What steps have worked out for this question, whatever the ranking.
    """

    query: ResolvedQuery
    hits: tuple[Hit, ...]
    documents: Mapping[str, Document]
    terms: Mapping[str, float]
    known: Mapping[str, int]
    words: Mapping[str, tuple[str, ...]]
    language: str
    generation: int
    passages: int
    times: Mapping[str, float]
    read_as: Mapping[str, str] = field(default_factory=dict)
    other_forms: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    phrases: Mapping[str, int] = field(default_factory=dict)
    strength: float = 0.0
    memo: Memo = field(default_factory=dict, compare=False, repr=False)
