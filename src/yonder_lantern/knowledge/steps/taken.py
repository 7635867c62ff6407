"""A step as it was taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ...answer import Composer, Judged, Shape
from ...core import LIVE, SearchResult

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

    @property
    def is_live(self) -> bool:
        """Whether it was looked up just now."""
        return self.judged.unit.document.format == LIVE


def judged_in(composer: Composer, result: SearchResult) -> list[Judged]:
    """The units of what a step found, best first; what was looked up for it is sure."""
    return [
        replace(one, support=1.0) if one.unit.document.format == LIVE else one
        for one in composer.judge(result)
    ]
