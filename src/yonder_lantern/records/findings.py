"""What a search yields: hits, and the account of every score."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from .documents import Document, Place


@dataclass(frozen=True, slots=True)
class TermShare:
    """A term of the question and what it added to a stage's score."""

    term: str
    share: float


@dataclass(frozen=True, slots=True)
class StageAccount:
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
class Account:
    """The full account of a hit's score; the shares add up to it."""

    stages: tuple[StageAccount, ...]

    @property
    def score(self) -> float:
        """The sum of the shares, which is the hit's score."""
        return sum(stage.share for stage in self.stages)


@dataclass(frozen=True, slots=True)
class AlsoIn:
    """Another place where the same is said."""

    document: str
    start: int
    end: int


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
    lead : str
        Title, headings and header row; searched with the passage, never cited.
    place : Place
        Where the passage is, for a person.
    score : float
        The fused score; `account` explains it.
    also : tuple of AlsoIn
        Other places where the same is said, with the same numbers, dates and codes.
    linked : tuple of str
        Ids of documents that belong with this one: named in its details, or of
        the same name with another suffix.
    """

    rank: int
    document: str
    version: str
    title: str
    language: str
    start: int
    end: int
    text: str
    lead: str
    place: Place
    score: float
    account: Account
    also: tuple[AlsoIn, ...] = ()
    linked: tuple[str, ...] = ()

    def __str__(self) -> str:
        where = self.place.within(self.document)
        return f"{self.rank}. {where} ({self.score:.3f})\n{self.text}"


@dataclass(frozen=True, slots=True)
class Asked:
    """A question with who asks it and for when.

    ``audience`` None is the owner, who sees everything. ``background`` is what was
    asked before, where the question leans on it; its words count half.
    """

    question: str
    audience: frozenset[str] | None = None
    as_of: datetime | None = None
    background: str = ""


@dataclass(frozen=True, slots=True)
class Findings:
    """What a search hands on: hits, their documents, what was searched for.

    Attributes
    ----------
    asked : Asked
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
    """

    asked: Asked
    hits: tuple[Hit, ...]
    documents: Mapping[str, Document]
    terms: Mapping[str, float]
    known: Mapping[str, int]
    words: Mapping[str, tuple[str, ...]]
    language: str
    generation: int
    passages: int
    times: Mapping[str, float]
