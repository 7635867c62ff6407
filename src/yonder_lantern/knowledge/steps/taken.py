"""A step as it was taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...answer import Judged, Shape
from ...core import SearchResult

# What finding gives for a question, and words to search for besides; None once it is to end.
Search = Callable[[str, str], SearchResult | None]

TOO_WIDE = (Shape.SECTION, Shape.INTRODUCED)  # they name much, and the smaller units in them too


@dataclass(frozen=True, slots=True)
class Taken:
    """One step taken: what was asked, what was found, and what it passed on.

    Attributes
    ----------
    question : str
    result : SearchResult
    judged : Judged
        What of it was taken.
    passed_on : str
        The name by which the next step asks, or the amount that is compared; empty at the end.
    """

    question: str
    result: SearchResult
    judged: Judged
    passed_on: str = ""
