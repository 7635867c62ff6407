"""The measures by name: which questions each is over, what it is of one, which way is better."""

from __future__ import annotations

import difflib
from collections.abc import Callable
from dataclasses import dataclass

from ...core import AnswerStatus, CallError
from ..measures import JudgedRanking
from ..statistics import Difference
from .graded_question import RETRIEVAL, QuestionGrade

ANSWERS = (
    "cited",
    "right",
    "answered wrongly",
    "excerpt",
    "excerpt holds it",
    "declined wrongly",
    "declined rightly",
    "not answered rightly",
)
WRITTEN = (
    "facts present",
    "facts wrong",
    "borne out",
    "likeness",
    "citation precision",
    "citation recall",
    "length",
    "milliseconds",
    "tokens",
    "cost",
)
Value = Callable[[QuestionGrade], float | None]


@dataclass(frozen=True, slots=True)
class Measure:
    """A measure of questions.

    Attributes
    ----------
    name : str
    value : callable
        Of one question; None where it does not apply.
    lower_is_better : bool
    digits : int
        Behind the point, where it is shown.
    of_models : bool
        Whether only what models answer has any of it.
    judged : bool
        Whether differences are judged. Not those of times: they depend on what else the machine
        did when each question was asked, which may have been days ago.
    """

    name: str
    value: Value
    lower_is_better: bool = False
    digits: int = 3
    of_models: bool = False
    judged: bool = True

    def conclusion(self, difference: Difference) -> str:
        """``better``, ``worse`` or ``no difference shown``; ``not judged`` of times."""
        if not self.judged:
            return "not judged"
        if not difference.is_shown:
            return "no difference shown"
        return "worse" if (difference.mean > 0) is self.lower_is_better else "better"


def _if(answerable: bool, value: Callable[[QuestionGrade], float]) -> Value:
    return lambda one: float(value(one)) if one.answerable is answerable else None


def _given(value: Callable[[QuestionGrade], float | None]) -> Value:
    return lambda one: value(one) if one.answered else None


_MEASURES = {
    one.name: one
    for one in (
        Measure("cited", _if(True, lambda one: one.covered)),
        Measure("right", _if(True, lambda one: one.right)),
        Measure(
            "answered wrongly",
            _if(True, lambda one: one.answered and not one.right),
            lower_is_better=True,
        ),
        Measure("excerpt", _if(True, lambda one: one.status is AnswerStatus.EXCERPT)),
        Measure("excerpt holds it", _if(True, lambda one: one.excerpt_holds)),
        Measure("declined wrongly", _if(True, lambda one: one.declined), lower_is_better=True),
        Measure("declined rightly", _if(False, lambda one: one.declined)),
        Measure("not answered rightly", _if(False, lambda one: not one.answered)),
        Measure("facts present", _given(lambda one: one.facts_present)),
        Measure("facts wrong", _given(lambda one: one.facts_wrong), lower_is_better=True),
        Measure("borne out", _given(lambda one: one.borne_out)),
        Measure("citation precision", _given(lambda one: one.citation_precision)),
        Measure("citation recall", _given(lambda one: one.citation_recall)),
        Measure("likeness", _given(lambda one: one.likeness)),
        Measure("length", _given(lambda one: float(one.length)), lower_is_better=True, digits=0),
        Measure(
            "milliseconds",
            lambda one: one.milliseconds,
            lower_is_better=True,
            digits=0,
            judged=False,
        ),
        Measure(
            "tokens",
            lambda one: float(one.tokens),
            lower_is_better=True,
            digits=0,
            of_models=True,
        ),
        Measure("cost", lambda one: float(one.cost), lower_is_better=True, of_models=True),
    )
}


def measure_named(name: str) -> Measure:
    """A measure by its name.

    Raises
    ------
    CallError
        There is none of that name; said before anything is asked.

    Examples
    --------
    >>> measure_named("answered wrongly").lower_is_better
    True
    """
    known = _MEASURES.get(name)
    if known is not None:
        return known
    if "@" in name or name in ("mrr", "map", "rbp"):
        JudgedRanking((), (1,), ()).value(name)
        return Measure(name, lambda one: one.ranking.value(name) if one.ranking else None)
    close = difflib.get_close_matches(name, [*_MEASURES, *RETRIEVAL], n=1)
    hint = f"did you mean {close[0]!r}?" if close else "docs/howto/grade.md lists them"
    raise CallError(f"there is no measure {name!r}", "measure", hint)
