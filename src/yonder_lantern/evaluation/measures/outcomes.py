"""What became of a question, judged by what its answer cites and says."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from ..questions import Span
from .ranking import Ranked, covered_together


class Outcome(StrEnum):
    """How a question ended.

    For a question that the documents do not answer, ``WRONG`` is any answer.
    """

    RIGHT = "right"
    PARTLY = "partly"
    WRONG = "wrong"
    EXCERPT = "excerpt"
    DECLINED = "declined"


def judged_by_spans(
    cited: Sequence[Ranked], groups: Sequence[Sequence[Span]], *, said: bool
) -> Outcome:
    """The outcome of an answer to a question with exact spans.

    It is right when the citations together hold at least half of a span of every group,
    and what must be said is said. It is partly right when some group is held, or some
    citation touches an expected span.

    Parameters
    ----------
    cited : sequence of Ranked
    groups : sequence of sequence of Span
        All of which are needed, each met by any of its spans. With none, every answer is wrong.
    said : bool
        Whether the answer holds the strings it must hold.

    Examples
    --------
    >>> fee = [[Span("tariff", 10, 30, 1)]]
    >>> judged_by_spans([Ranked("tariff", 0, 40)], fee, said=True).value
    'right'
    >>> judged_by_spans([Ranked("tariff", 0, 15)], fee, said=True).value
    'partly'
    """
    held = [any(covered_together(cited, span) for span in group) for group in groups]
    if groups and all(held) and said:
        return Outcome.RIGHT
    touched = any(_touch(one, span) for one in cited for group in groups for span in group)
    return Outcome.PARTLY if any(held) or touched else Outcome.WRONG


def judged_by_section(cited: Sequence[Ranked], sections: Sequence[Span]) -> Outcome:
    """The outcome of an answer to a question that a whole section or entry answers.

    It is right when its first citation lies in one of the sections, partly right when
    another does.

    Examples
    --------
    >>> section = [Span("tariff", 100, 900, 1)]
    >>> judged_by_section([Ranked("rules", 0, 9), Ranked("tariff", 120, 150)], section).value
    'partly'
    """
    inside = [any(_within(one, span) for span in sections) for one in cited]
    if inside and inside[0]:
        return Outcome.RIGHT
    return Outcome.PARTLY if any(inside) else Outcome.WRONG


def _touch(one: Ranked, span: Span) -> bool:
    shared = min(one.end, span.end) - max(one.start, span.start)
    return one.document == span.document and shared > 0


def _within(one: Ranked, span: Span) -> bool:
    """Whether most of a citation lies in a section."""
    shared = min(one.end, span.end) - max(one.start, span.start)
    return one.document == span.document and 2 * shared > one.end - one.start
