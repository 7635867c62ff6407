"""Passages: the unit that is indexed and found."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Passage:
    """A contiguous span of one document.

    Attributes
    ----------
    start, end : int
        Half-open code-point range in the document's canonical text.
    tokens : int
        Words and punctuation marks in the span.
    block : int
        Index of the first block that is not overlap; its headings give the lead.
    """

    start: int
    end: int
    tokens: int
    block: int
