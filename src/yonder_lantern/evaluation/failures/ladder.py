"""How many questions are lost at each step."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from ..grading import Grades
from .cause import RUNGS, Cause
from .diagnose import Failure


@dataclass(frozen=True, slots=True)
class Rung:
    """A step of the way to an answer.

    Attributes
    ----------
    name : str
    reached : int
        Questions that got this far.
    lost : int
        Those lost here.
    causes : tuple of (Cause, int)
        Why.
    """

    name: str
    reached: int
    lost: int
    causes: tuple[tuple[Cause, int], ...]


def ladder(grades: Grades, failures: Sequence[Failure]) -> list[Rung]:
    """How many of the answerable questions get how far.

    Parameters
    ----------
    grades : Grades
    failures : sequence of Failure
        Of the same questions.
    """
    left = sum(one.answerable for one in grades.questions)
    counts = Counter(one.cause for one in failures)
    found = []
    for name, causes in RUNGS:
        lost = sum(counts[cause] for cause in causes)
        left -= lost
        there = tuple((cause, counts[cause]) for cause in causes if counts[cause])
        found.append(Rung(name, left, lost, there))
    return found


@dataclass(frozen=True, slots=True)
class SideBySide:
    """The questions that two results answer differently, by id.

    Attributes
    ----------
    won, lost : tuple of str
        Right now and not before; right before and not now.
    equal : int
        All others.
    """

    won: tuple[str, ...]
    lost: tuple[str, ...]
    equal: int


def side_by_side(before: Grades, after: Grades) -> SideBySide:
    """Which questions a later result wins and loses against an earlier one.

    Raises
    ------
    QuestionSetError
        The two are of different question sets.
    """
    after.refuse_other_questions(before)
    were = {one.id: one.outcome == "right" for one in before.questions}
    now = {one.id: one.outcome == "right" for one in after.questions if one.id in were}
    won = tuple(id_ for id_, right in now.items() if right and not were[id_])
    lost = tuple(id_ for id_, right in now.items() if were[id_] and not right)
    return SideBySide(won, lost, len(now) - len(won) - len(lost))
