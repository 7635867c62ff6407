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
    divided : bool
        Whether it begins or ends inside a line, a row or a sentence, which alone is
        longer than a passage may be.
    """

    start: int
    end: int
    tokens: int
    block: int
    divided: bool = False
