"""The result of grading: by question, and summed up."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from ...core import QuestionSetError
from ...settings import by_dotted_key
from ..statistics import Difference, Interval, mean_interval, paired_difference
from .graded_question import RETRIEVAL, QuestionGrade
from .measure_names import ANSWERS, WRITTEN, measure_named

if TYPE_CHECKING:
    from pathlib import Path

    import pandas as pd


@dataclass(frozen=True, slots=True)
class Grades:
    """Grades of a question set, with what was pinned.

    Attributes
    ----------
    questions : tuple of QuestionGrade
    as_of : str
    seed, resamples : int
    left_out : int
        Questions about documents that could not be read here.
    drafts : int
        Questions that nobody has accepted yet, and that were not asked.
    asked : str
        A hash of what was asked and expected.
    repeats : tuple of tuple of QuestionGrade
        The same questions asked again, where a model answers and that was wanted.
    id, at : str
        Of the result that is kept; empty if it is not.
    settings, versions : mapping
        What it was made with: the settings that bear on it, and the versions of the index, the
        program and Python.
    """

    questions: tuple[QuestionGrade, ...]
    as_of: str
    seed: int
    resamples: int
    left_out: int = 0
    drafts: int = 0
    asked: str = ""
    repeats: tuple[tuple[QuestionGrade, ...], ...] = ()
    id: str = ""
    at: str = ""
    settings: Mapping[str, Any] = field(default_factory=dict)
    versions: Mapping[str, str] = field(default_factory=dict)

    def measure(self, name: str, **only: str) -> Interval:
        """The mean of a measure with its interval: Wilson's for shares, else the bootstrap's.

        ``declined rightly`` and ``not answered rightly`` are over unanswerable questions, those
        of what is written over answers given, ``milliseconds``, ``tokens`` and ``cost`` over all
        questions, all others over answerable ones.

        Parameters
        ----------
        name : str
            Of `RETRIEVAL`, `ANSWERS` or `WRITTEN`, or any that `JudgedRanking.value` takes.
        **only : str
            ``kind=`` or ``split=`` to look at some questions only.

        Raises
        ------
        CallError
            There is no such measure.
        """
        values = list(self.values(name, **only).values())
        return mean_interval(values, seed=self.seed, resamples=self.resamples)

    def values(self, name: str, **only: str) -> dict[str, float]:
        """A measure of each question it is over, by id: its mean where it was asked repeatedly."""
        value = measure_named(name).value
        found: dict[str, list[float]] = {}
        for one in (*self.questions, *(one for run in self.repeats for one in run)):
            if all(getattr(one, key) == wanted for key, wanted in only.items()):
                own = value(one)
                if own is not None:
                    found.setdefault(one.id, []).append(own)
        return {id_: sum(values) / len(values) for id_, values in found.items()}

    def between_runs(self, name: str, **only: str) -> float:
        """The standard deviation of a measure's mean between the runs of a model.

        NaN where the questions were asked once.
        """
        runs = [self.questions, *self.repeats]
        value = measure_named(name).value
        means = []
        for run in runs:
            own = [
                found
                for one in run
                if all(getattr(one, key) == wanted for key, wanted in only.items())
                if (found := value(one)) is not None
            ]
            means.append(float(np.mean(own)) if own else math.nan)
        return float(np.std(means, ddof=1)) if len(means) > 1 else math.nan

    def against(self, earlier: Grades, name: str, **only: str) -> Difference:
        """How far a measure is from an earlier result's, over the questions that both have.

        Raises
        ------
        QuestionSetError
            The earlier result is of another question set.
        """
        self.refuse_other_questions(earlier)
        return self.difference(earlier, name, **only)

    def difference(self, other: Grades, name: str, **only: str) -> Difference:
        """How far a measure is from another result's, over the questions that both asked."""
        before, after = other.values(name, **only), self.values(name, **only)
        both = [id_ for id_ in after if id_ in before]
        return paired_difference(
            [before[id_] for id_ in both],
            [after[id_] for id_ in both],
            seed=self.seed,
            resamples=self.resamples,
        )

    def refuse_other_questions(self, earlier: Grades) -> None:
        """Raise an error if an earlier result is of another question set."""
        if earlier.asked != self.asked:
            raise QuestionSetError(
                "the earlier result is of another question set: figures of different questions "
                "do not compare",
                earlier.id or "against",
                "grade the earlier state on these questions, or name a result of this set",
            )

    def changes_since(self, earlier: Grades) -> dict[str, tuple[Any, Any]]:
        """What the settings that differ from an earlier result's were and are, by dotted key."""
        before, after = by_dotted_key(earlier.settings), by_dotted_key(self.settings)
        return {
            key: (before.get(key), after.get(key))
            for key in sorted(before.keys() | after.keys())
            if before.get(key) != after.get(key)
        }

    def tells(self, name: str) -> bool:
        """Whether a measure says anything here: some question counts, and some model cost."""
        own = self.measure(name)
        return bool(own.count and (own.mean or not measure_named(name).of_models))

    def summary(
        self, names: Sequence[str] = (*RETRIEVAL, *ANSWERS, *WRITTEN)
    ) -> list[dict[str, Any]]:
        """Every measure, overall, by split and by kind, as plain rows."""
        groups: list[dict[str, str]] = [{}]
        groups += [{"split": split} for split in sorted({one.split for one in self.questions})]
        groups += [{"kind": kind} for kind in sorted({one.kind for one in self.questions})]
        rows = []
        for only in groups:
            for name in names:
                interval = self.measure(name, **only)
                if interval.count:
                    label = next((f"{k} {v}" for k, v in only.items()), "all")
                    rows.append({"questions": label, "measure": name, **asdict(interval)})
        return rows

    def frame(self) -> pd.DataFrame:
        """One row a question, one column a measure."""
        import pandas as pd

        rows = []
        for one in self.questions:
            row: dict[str, Any] = {
                "id": one.id,
                "kind": one.kind,
                "split": one.split,
                "answerable": one.answerable,
                "status": one.status.value,
                "outcome": one.outcome,
                "support": one.support,
                "cited": one.covered,
                "right": one.right,
                "excerpt_holds": one.excerpt_holds,
                **one.measures,
            }
            for name in WRITTEN:
                row[name] = measure_named(name).value(one)
            rows.append(row)
        return pd.DataFrame(rows)

    def summary_frame(self) -> pd.DataFrame:
        """The rows of `summary` as a frame."""
        import pandas as pd

        return pd.DataFrame(self.summary())

    def as_dict(self) -> dict[str, Any]:
        """Everything, as JSON can hold it."""
        return {
            "id": self.id,
            "as_of": self.as_of,
            "seed": self.seed,
            "left_out": self.left_out,
            "drafts": self.drafts,
            "summary": [
                {key: (None if _is_nan(value) else value) for key, value in row.items()}
                for row in self.summary()
            ],
            "questions": self.frame().replace({float("nan"): None}).to_dict(orient="records"),
        }

    def write_csv(self, path: Path) -> None:
        """Write the grades by question as CSV (RFC 4180)."""
        self.frame().to_csv(path, index=False, lineterminator="\r\n")

    def _repr_html_(self) -> str:
        """The summary as a table, for notebooks."""
        rows = "".join(
            f"<tr><th scope='row'>{name}</th><td>{interval}</td><td>{interval.count}</td></tr>"
            for name in (*RETRIEVAL, *ANSWERS)
            if (interval := self.measure(name)).count
        )
        return (
            f"<table><caption>{len(self.questions)} questions, means with 95 % intervals</caption>"
            f"<thead><tr><th>measure</th><th>mean</th><th>questions</th></tr></thead>"
            f"<tbody>{rows}</tbody></table>"
        )


def _is_nan(value: object) -> bool:
    return isinstance(value, float) and math.isnan(value)
