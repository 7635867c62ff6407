"""What a comparison shows, and what may be concluded from it."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from ...core import CallError
from ..grading import Grades, QuestionGrade, measure_named
from ..statistics import (
    Difference,
    detectable_difference,
    holm,
    pareto_optimal,
    questions_needed,
)
from .variants import Variant

if TYPE_CHECKING:
    import pandas as pd

COMPARED = (
    "characters@1000",
    "recall@5",
    "mrr",
    "ndcg@10",
    "right",
    "answered wrongly",
    "excerpt holds it",
    "declined wrongly",
    "not answered rightly",
    "milliseconds",
    "cost",
)
_SHARES = frozenset(COMPARED[:-2])  # between 0 and 1


@dataclass(frozen=True, slots=True)
class VariantResult:
    """What came of one variant.

    Attributes
    ----------
    variant : Variant
    grades : Grades or None
        None where it could not be gathered.
    problem : str
        Why not.
    seconds : float
        To make its index; 0 where it uses the desk's own or another variant's.
    dropped_after : int
        After how many questions it was given up; 0 if it was not.
    """

    variant: Variant
    grades: Grades | None
    problem: str = ""
    seconds: float = 0.0
    dropped_after: int = 0


@dataclass(frozen=True, slots=True)
class Comparison:
    """Several settings over the same questions.

    Attributes
    ----------
    id : str
        What it is kept under.
    results : tuple of VariantResult
        The settings as they are first.
    by : str
        The measure that decides.
    stopped : str
        Why not every question was asked.
    seconds : float
    price : Decimal
        What models cost, this time.
    left_out, drafts : int
        Questions that were not asked.
    """

    id: str
    results: tuple[VariantResult, ...]
    by: str
    stopped: str = ""
    seconds: float = 0.0
    price: Decimal = Decimal(0)
    left_out: int = 0
    drafts: int = 0
    _known: dict[Any, dict[str, Difference]] = field(
        default_factory=dict, repr=False, compare=False
    )

    @property
    def baseline(self) -> Grades:
        """The grades of the settings as they are."""
        grades = self.results[0].grades
        assert grades is not None
        return grades

    @property
    def compared(self) -> list[VariantResult]:
        """The variants that could be asked, but for the settings as they are."""
        return [one for one in self.results[1:] if one.grades is not None]

    def result(self, name: str) -> VariantResult:
        """A variant's result.

        Raises
        ------
        CallError
            There is no such variant.
        """
        for one in self.results:
            if one.variant.name == name:
                return one
        raise CallError(f"there is no variant {name!r}", "compare")

    def differences(self, measure: str, **only: str) -> dict[str, Difference]:
        """How far each variant is from the settings as they are, by its name.

        p is corrected by Holm for the number of variants.

        Parameters
        ----------
        measure : str
        **only : str
            ``kind=`` or ``split=``.
        """
        key = (measure, *sorted(only.items()))
        if key not in self._known:  # the tests take thousands of draws each
            found = [
                one.grades.difference(self.baseline, measure, **only)
                for one in self.compared
                if one.grades is not None
            ]
            names = [one.variant.name for one in self.compared]
            self._known[key] = dict(zip(names, holm(found), strict=True))
        return self._known[key]

    def conclusion(self, name: str, measure: str = "", **only: str) -> str:
        """What may be said of a variant: ``better``, ``worse`` or ``no difference shown``.

        Parameters
        ----------
        name : str
        measure : str, optional
            The one that decides by default.
        **only : str
            ``kind=`` or ``split=``.
        """
        measure = measure or self.by
        return measure_named(measure).conclusion(self.differences(measure, **only)[name])

    @property
    def idle(self) -> list[str]:
        """The variants that leave every rank, answer and support as they were, by name."""
        before = {one.id: _shown(one) for one in self.baseline.questions}
        return [
            one.variant.name
            for one in self.compared
            if one.grades is not None
            and all(_shown(own) == before[own.id] for own in one.grades.questions)
        ]

    @property
    def best(self) -> VariantResult | None:
        """The variant that is best by the measure that decides, if it is shown to be better."""
        measure = measure_named(self.by)
        better = [
            (difference.mean * (-1 if measure.lower_is_better else 1), name)
            for name, difference in self.differences(self.by).items()
            if measure.conclusion(difference) == "better" and not self.result(name).dropped_after
        ]
        return self.result(max(better)[1]) if better else None

    def grounds(self) -> str:
        """Why the best variant is proposed, or why none is, and what would show more."""
        idle = self.idle
        if len(idle) == len(self.compared):
            return "Nothing compared changes any rank, answer or support."
        told = self._grounds()
        return (
            f"{told} No rank, answer or support changes with {', '.join(idle)}." if idle else told
        )

    def _grounds(self) -> str:
        count = self.baseline.measure(self.by).count
        best = self.best
        if best is not None:
            gain = self.differences(self.by)[best.variant.name]
            harm = [
                measure
                for measure in COMPARED
                if measure in _SHARES - {self.by}
                and self.conclusion(best.variant.name, measure) == "worse"
            ]
            cost = f" It is worse by {', '.join(harm)}." if harm else ""
            several = len(self.compared)
            corrected = f" after correction for {several} comparisons" if several > 1 else ""
            return (
                f"{best.variant.name}: {self.by} {gain}, p = {gain.p:.2g}{corrected}, over "
                f"{gain.count} questions.{cost}"
            )
        differing = [one for one in self.differences(self.by).values() if one.deviation > 0]
        if not differing:
            return f"No variant changes {self.by} of any question."
        deviation = max(one.deviation for one in differing)
        step = max(one.step for one in differing)
        level = 0.05 / len(self.compared)
        least = detectable_difference(deviation, count, step=step, level=level)
        told = (
            f"No variant is shown to be better by {self.by}. Smallest detectable difference with "
            f"{count} questions and {len(self.compared)} compared: {least:.2g} (80 % power)"
        )
        wanted = next((one for one in (0.05, 0.02, 0.01) if one < least * 0.9), None)
        if wanted is None or self.by not in _SHARES:
            return f"{told}."
        needed = questions_needed(deviation, wanted, step=step, level=level)
        return f"{told}; for one of {wanted}, about {needed:,} are needed."

    def trade_offs(self, price: str = "milliseconds") -> list[str]:
        """The variants that no other beats at once in what decides and in time or money.

        Parameters
        ----------
        price : {"milliseconds", "cost"}
        """
        lower = measure_named(self.by).lower_is_better
        points = []
        for one in self.results:
            if one.grades is not None and not one.dropped_after:
                quality = one.grades.measure(self.by).mean * (-1 if lower else 1)
                points.append((quality, one.grades.measure(price).mean, one.variant.name))
        best = pareto_optimal([(quality, cost) for quality, cost, _ in points])
        return [name for (_, _, name), unbeaten in zip(points, best, strict=True) if unbeaten]

    def patch(self) -> str:
        """The settings of the best variant, as TOML; empty if none is proposed."""
        best = self.best
        return as_toml(best.variant.settings) if best is not None else ""

    def rows(self, measures: Sequence[str] = COMPARED) -> list[dict[str, Any]]:
        """One row a variant and measure: mean, interval, difference, what may be concluded."""
        found = []
        for measure in measures:
            differences, named = self.differences(measure), measure_named(measure)
            for one in self.results:
                if one.grades is None:
                    continue
                own = one.grades.measure(measure)
                if not own.count:
                    continue
                row: dict[str, Any] = {
                    "measure": measure,
                    "variant": one.variant.name,
                    "mean": own.mean,
                    "low": own.low,
                    "high": own.high,
                    "questions": own.count,
                }
                change = differences.get(one.variant.name)
                if change is not None:
                    row |= {
                        "difference": change.mean,
                        "difference_low": change.low,
                        "difference_high": change.high,
                        "p": change.p,
                        "conclusion": named.conclusion(change),
                    }
                found.append(row)
        return found

    def frame(self, measures: Sequence[str] = COMPARED) -> pd.DataFrame:
        """The rows as a frame."""
        import pandas as pd

        return pd.DataFrame(self.rows(measures))

    def kinds(self) -> list[str]:
        """The kinds of question, in the order of the question set."""
        return list(dict.fromkeys(one.kind for one in self.baseline.questions))

    def as_dict(self) -> dict[str, Any]:
        """Everything, as JSON can hold it."""
        best = self.best
        return {
            "id": self.id,
            "by": self.by,
            "stopped": self.stopped,
            "seconds": round(self.seconds, 3),
            "price": str(self.price),
            "left_out": self.left_out,
            "variants": [
                {
                    "name": one.variant.name,
                    "settings": dict(one.variant.settings),
                    "problem": one.problem,
                    "index_seconds": round(one.seconds, 3),
                    "dropped_after": one.dropped_after,
                }
                for one in self.results
            ],
            "rows": [
                {key: None if _is_nan(value) else value for key, value in row.items()}
                for row in self.rows()
            ],
            "proposed": best.variant.name if best else None,
            "grounds": self.grounds(),
            "patch": self.patch(),
            "trade_offs": self.trade_offs(),
        }

    def _repr_html_(self) -> str:
        """The table, for notebooks."""
        return str(self.frame().to_html(index=False, float_format="{:.3f}".format))


def as_toml(settings: Mapping[str, Any]) -> str:
    """Settings by dotted key as the sections of ``yonder.toml``.

    Examples
    --------
    >>> print(as_toml({"passages.tokens": 300, "find.fusion": "ranks"}))
    [find]
    fusion = "ranks"
    <BLANKLINE>
    [passages]
    tokens = 300
    """
    sections: dict[str, dict[str, Any]] = {}
    for key, value in sorted(settings.items()):
        section, _, name = key.rpartition(".")
        sections.setdefault(section, {})[name] = value
    parts = []
    for section, values in sections.items():
        lines = [f"[{section}]"] if section else []
        lines += [f"{name} = {_toml(value)}" for name, value in values.items()]
        parts.append("\n".join(lines))
    return "\n\n".join(parts)


def _toml(value: Any) -> str:
    """A value as TOML: JSON, but for tables."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{key} = {_toml(one)}" for key, one in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(_toml, value)) + "]"
    return json.dumps(value, ensure_ascii=False, default=str)


def _is_nan(value: object) -> bool:
    return isinstance(value, float) and math.isnan(value)


def _shown(one: QuestionGrade) -> tuple[object, ...]:
    """What a question showed whoever asked it."""
    return one.kept().hits, one.status, one.text, one.cited, one.support
