"""Excerpts are told apart from answers: by grades, by the figure's parts, by the threshold."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from yonder_lantern import Desk
from yonder_lantern.core import AnswerStatus
from yonder_lantern.evaluation import Grades

QUESTIONS = (
    '{"id": "q1", "question": "When does the quay close?", "expected": '
    '[[{"document": "documents/quay.md", "quote": "closes at 22:00"}]]}\n'
    '{"id": "q2", "question": "Who owns the quay?", "expected": []}\n'
)


@pytest.mark.parametrize(
    ("answer", "excerpt", "status"),
    [(0.0, 0.0, "answer"), (1.0, 0.0, "excerpt"), (1.0, 1.0, "declined")],
)
def test_a_question_is_graded_by_how_it_ends(
    make_desk: Callable[..., Desk], answer: float, excerpt: float, status: str
) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer.\n"})
    desk.gather()
    (desk.folder / "questions.jsonl").write_text(QUESTIONS)
    settings = {"answer.min_support": answer, "answer.min_excerpt_support": excerpt}
    grades: Grades = Desk.open(desk.folder, settings=settings).grade()
    answerable, other = grades.questions
    assert answerable.status == AnswerStatus(status)
    assert answerable.right is (status == "answer")
    assert answerable.excerpt_holds is (status == "excerpt")
    figures = {
        "right": status == "answer",
        "answered wrongly": False,
        "excerpt": status == "excerpt",
        "excerpt holds it": status == "excerpt",
        "declined wrongly": status == "declined",
        "not answered rightly": other.status != "answer",
        "declined rightly": other.status == "declined",
    }
    assert {name: grades.measure(name).mean for name in figures} == figures
    assert list(grades.frame()["status"]) == [status, other.status.value]
