"""What was asked of a variant, kept question by question: a comparison that is killed goes on."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import msgspec

from ...platform.storage import append_record, read_records
from ..grading import QuestionGrade


@dataclass(frozen=True, slots=True)
class KeptGrades:
    """The graded questions of a variant, in a file.

    Attributes
    ----------
    path : Path
    """

    path: Path

    def read(self) -> dict[str, QuestionGrade]:
        """What is there, by the questions' ids."""
        if not self.path.exists():
            return {}
        found = {}
        for record in read_records(self.path):
            one = msgspec.convert(record["grade"], QuestionGrade)
            found[one.id] = one
        return found

    def add(self, grade: QuestionGrade) -> None:
        """Keep one more; a question that a service failed for is asked again instead."""
        if not grade.problem:
            append_record(self.path, {"grade": msgspec.to_builtins(grade.kept())})
