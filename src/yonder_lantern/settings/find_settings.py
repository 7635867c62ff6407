"""How passages are found and ranked."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from .section import Section

Weight = Annotated[float, Meta(ge=-2, le=2)]


class WeightSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What each feature of a passage adds to its score, or takes from it.

    Each feature is between 0 and 1; see docs/concepts/finding.md. Left out: what suits how long
    the documents are.

    Parameters
    ----------
    coverage
        Share of the question's words, by weight, in the passage or its context header.
    nearness
        How close together the question's words are.
    phrase
        Longest run of the question's words in the passage, as a share.
    heading
        Share of the question's words, by weight, in the context header.
    codes
        Share of the question's codes and numbers in the passage.
    opening
        1 for a document's first passage, 1/2 for its second, and so on.
    length
        Near 1 for a long passage; 1/2 at 60 words and punctuation marks.
    freshness
        1 for a document of today, 1/2 for one a year old.
    agreement
        The smaller of the scores of the two stages.
    asking
        Share of its sentences and headings that ask rather than tell.
    """

    coverage: Weight | None = None
    nearness: Weight | None = None
    phrase: Weight | None = None
    heading: Weight | None = None
    codes: Weight | None = None
    opening: Weight | None = None
    length: Weight | None = None
    freshness: Weight | None = None
    agreement: Weight | None = None
    asking: Weight | None = None

    @classmethod
    def none(cls) -> WeightSettings:
        """No feature counts."""
        return cls(**dict.fromkeys(cls.__struct_fields__, 0.0))


class FindSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How many passages are found and how they are ranked.

    Parameters
    ----------
    limit
        Most hits of a search.
    lexical_weight
        Weight of the lexical stage; the vector stage has the rest. Left out: what suits the
        embedding.
    document_share
        Weight of a passage's whole document, beside the passage. Left out: what suits how long
        the documents are.
    reading_weight
        Weight of the reading model, beside the sum of all else. 0: it is not asked.
    fusion
        Combine the stages by their scores or by their ranks.
    candidates
        Passages that each stage retrieves.
    per_document
        Most hits from one document. 0: no limit.
    neighbours
        Passages before and after a hit that are returned with it.
    join
        Return adjacent passages as one hit.
    spelling
        Read an unknown word as the most similar known one.
    glossary
        Abbreviations and what they stand for: ``VTS = "vessel traffic service"``.
    weights
        ``[find.weights]``: what each feature adds to a score; see docs/concepts/finding.md.
    question_characters
        Longest question.
    """

    limit: Annotated[int, Meta(ge=1, le=1000)] = 8
    lexical_weight: Annotated[float, Meta(ge=0, le=1)] | None = None
    document_share: Annotated[float, Meta(ge=0, le=1)] | None = None
    reading_weight: Annotated[float, Meta(ge=0, le=10)] = 0.35
    fusion: Literal["scores", "ranks"] = "scores"
    candidates: Annotated[int, Meta(ge=10, le=10_000)] = 100
    per_document: Annotated[int, Meta(ge=0, le=1000)] = 0
    neighbours: Annotated[int, Meta(ge=0, le=20)] = 0
    join: bool = True
    spelling: bool = True
    glossary: dict[str, str] = msgspec.field(default_factory=dict)
    weights: WeightSettings = WeightSettings()
    question_characters: Annotated[int, Meta(ge=100, le=100_000)] = 4000
