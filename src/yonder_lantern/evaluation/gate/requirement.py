"""What a result must reach: ``recall@5 >= 0.9``, ``right >= earlier - 0.02``."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ...core import CallError
from ..grading import Grades, measure_named
from ..statistics import Interval

_FORM = re.compile(
    r"(?P<measure>[a-z0-9@. ]+?)\s*(?P<operator>>=|<=)\s*"
    r"(?:(?P<figure>\d*\.?\d+)|(?P<earlier>earlier)(?:\s*(?P<sign>[+-])\s*(?P<tolerance>\d*\.?\d+))?)"
    r"(?:\s+for\s+(?P<key>kind|split)\s*=\s*(?P<value>\S+))?"
)


@dataclass(frozen=True, slots=True)
class Requirement:
    """A bound for a measure.

    Attributes
    ----------
    text : str
        As it was written.
    measure : str
    at_least : bool
        Whether the bound is the least, not the most, that it may be.
    figure : float
        The bound; for an earlier result, what may be lost against it.
    earlier : bool
        Whether the bound is an earlier result.
    only : tuple of (str, str)
        Which questions: a kind or a split.
    """

    text: str
    measure: str
    at_least: bool
    figure: float
    earlier: bool = False
    only: tuple[tuple[str, str], ...] = ()

    @classmethod
    def parse(cls, text: str) -> Requirement:
        """A requirement as it is written.

        Parameters
        ----------
        text : str
            ``MEASURE >= FIGURE`` or ``MEASURE <= FIGURE``, or with ``earlier``, ``earlier - 0.02``
            in place of the figure; then, if wanted, ``for kind=KIND`` or ``for split=SPLIT``.

        Raises
        ------
        CallError
            It is not of that form, or there is no such measure.

        Examples
        --------
        >>> one = Requirement.parse("recall@5 >= 0.9 for kind=table")
        >>> one.measure, one.at_least, one.figure, one.only
        ('recall@5', True, 0.9, (('kind', 'table'),))
        """
        found = _FORM.fullmatch(text.strip())
        if found is None:
            raise CallError(
                f"not a requirement: {text!r}",
                "--require",
                'write "recall@5 >= 0.9", "answered wrongly <= 0.1", or with an earlier result '
                '"right >= earlier - 0.02"',
            )
        measure_named(found["measure"])
        at_least = found["operator"] == ">="
        tolerance = float(found["tolerance"] or 0)
        loosens = {True: "-", False: "+"}[at_least]
        if found["earlier"] and tolerance and found["sign"] != loosens:
            tolerance = -tolerance  # more is asked than the earlier result had
        only = ((found["key"], found["value"]),) if found["key"] else ()
        figure = tolerance if found["earlier"] else float(found["figure"])
        return cls(text.strip(), found["measure"], at_least, figure, bool(found["earlier"]), only)

    def allows(self, value: float) -> bool:
        """Whether a value keeps to a fixed bound."""
        return value >= self.figure if self.at_least else value <= self.figure


@dataclass(frozen=True, slots=True)
class Verdict:
    """Whether a requirement is met, and a line that says why."""

    requirement: Requirement
    met: bool
    line: str


def check_requirement(
    requirement: Requirement, grades: Grades, earlier: Grades | None = None
) -> Verdict:
    """Hold a result against a requirement.

    A fixed figure is met by the mean. Against an earlier result the requirement fails only where
    the whole interval of the questions' differences lies beyond what may be lost: a difference
    that chance explains fails nothing.

    Parameters
    ----------
    requirement : Requirement
    grades : Grades
    earlier : Grades, optional

    Raises
    ------
    CallError
        No question counts towards it, or it needs an earlier result and none is given.
    QuestionSetError
        The earlier result is of another question set.
    """
    only = dict(requirement.only)
    own = grades.measure(requirement.measure, **only)
    if not own.count:
        raise CallError(
            f"no question counts towards {requirement.text!r}",
            "--require",
            "ask others, or leave it out",
        )
    if not requirement.earlier:
        met = requirement.allows(own.mean)
        return Verdict(requirement, met, _line(requirement, met, own))
    if earlier is None:
        raise CallError(
            f"{requirement.text!r} needs an earlier result",
            "--require",
            "name one with --against, e.g. --against last",
        )
    change = grades.against(earlier, requirement.measure, **only)
    lost = -change.high if requirement.at_least else change.low
    met = lost <= requirement.figure
    before = earlier.measure(requirement.measure, **only).mean
    told = f"{own.mean:.3f}, which is {change} against {before:.3f}"
    return Verdict(requirement, met, f"{_word(met)}: {requirement.text}: {told}")


def _line(requirement: Requirement, met: bool, own: Interval) -> str:
    reaches = requirement.allows(own.high if requirement.at_least else own.low)
    near = "; its interval reaches the figure" if reaches and not met else ""
    return f"{_word(met)}: {requirement.text}: {own} over {own.count} questions{near}"


def _word(met: bool) -> str:
    return "met" if met else "NOT MET"
