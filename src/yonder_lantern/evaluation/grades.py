"""The result of grading: by question, and summed up."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from ..core import AnswerStatus
from .intervals import Interval, bootstrap_mean

if TYPE_CHECKING:
    from pathlib import Path

    import pandas as pd

RETRIEVAL = ("recall@5", "recall@10", "precision@5", "mrr", "map", "ndcg@10")
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


@dataclass(frozen=True, slots=True)
class QuestionGrade:
    """What became of one question.

    ``covered``: answered, and every expected group is held by the citations.
    ``right``: that, and every string the answer must contain is there.
    ``excerpt_holds``: not answered, and the passages shown hold every expected group.
    """

    id: str
    kind: str
    split: str
    answerable: bool
    status: AnswerStatus
    support: float
    covered: bool
    right: bool
    excerpt_holds: bool
    measures: Mapping[str, float]

    @property
    def answered(self) -> bool:
        """Whether an answer was given: neither an excerpt shown nor the question declined."""
        return self.status is AnswerStatus.ANSWER

    @property
    def declined(self) -> bool:
        """Whether the question was declined."""
        return self.status is AnswerStatus.DECLINED


_ANSWER_MEASURES: dict[str, tuple[bool, Callable[[QuestionGrade], bool]]] = {
    "cited": (True, lambda one: one.covered),
    "right": (True, lambda one: one.right),
    "answered wrongly": (True, lambda one: one.answered and not one.right),
    "excerpt": (True, lambda one: one.status is AnswerStatus.EXCERPT),
    "excerpt holds it": (True, lambda one: one.excerpt_holds),
    "declined wrongly": (True, lambda one: one.declined),
    "declined rightly": (False, lambda one: one.declined),
    "not answered rightly": (False, lambda one: not one.answered),
}


@dataclass(frozen=True, slots=True)
class Grades:
    """Grades of a question set, with what was pinned.

    ``left_out`` counts the questions about documents that could not be read here.
    """

    questions: tuple[QuestionGrade, ...]
    as_of: str
    seed: int
    resamples: int
    left_out: int = 0

    def measure(self, name: str, **only: str) -> Interval:
        """The mean of a measure with its interval.

        ``declined rightly`` and ``not answered rightly`` are over unanswerable questions, all
        others over answerable ones.

        Parameters
        ----------
        name : str
            Of `RETRIEVAL` or `ANSWERS`, or any key of a question's measures.
        **only : str
            ``kind=`` or ``split=`` to look at some questions only.
        """
        return bootstrap_mean(self._values(name, only), seed=self.seed, resamples=self.resamples)

    def _values(self, name: str, only: Mapping[str, str]) -> list[float]:
        chosen = [
            one
            for one in self.questions
            if all(getattr(one, key) == value for key, value in only.items())
        ]
        if name in _ANSWER_MEASURES:
            answerable, holds = _ANSWER_MEASURES[name]
            return [float(holds(one)) for one in chosen if one.answerable is answerable]
        return [one.measures[name] for one in chosen if one.answerable]

    def summary(self, names: Sequence[str] = (*RETRIEVAL, *ANSWERS)) -> list[dict[str, Any]]:
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

        return pd.DataFrame(
            [
                {
                    "id": one.id,
                    "kind": one.kind,
                    "split": one.split,
                    "answerable": one.answerable,
                    "status": one.status.value,
                    "support": one.support,
                    "cited": one.covered,
                    "right": one.right,
                    "excerpt_holds": one.excerpt_holds,
                    **one.measures,
                }
                for one in self.questions
            ]
        )

    def summary_frame(self) -> pd.DataFrame:
        """The rows of `summary` as a frame."""
        import pandas as pd

        return pd.DataFrame(self.summary())

    def as_dict(self) -> dict[str, Any]:
        """Everything, as JSON can hold it."""
        return {
            "as_of": self.as_of,
            "seed": self.seed,
            "left_out": self.left_out,
            "summary": [
                {key: (None if _is_nan(value) else value) for key, value in row.items()}
                for row in self.summary()
            ],
            "questions": self.frame().replace({float("nan"): None}).to_dict(orient="records"),
        }

    def write_csv(self, path: Path) -> None:
        """Write the grades by question as CSV (RFC 4180)."""
        self.frame().to_csv(path, index=False, lineterminator="\r\n")


def _is_nan(value: object) -> bool:
    return isinstance(value, float) and math.isnan(value)
