"""Bounds: parsed, held against results and earlier ones, written for build servers."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.core import AnswerStatus, CallError, QuestionSetError
from yonder_lantern.evaluation import (
    Grades,
    QuestionGrade,
    Ranked,
    Requirement,
    check_requirement,
    judge_ranking,
)
from yonder_lantern.evaluation.questions import Span


def result(right: int, wrong: int, *, asked: str = "set") -> Grades:
    def one(number: int, *, is_right: bool) -> QuestionGrade:
        found = [Ranked("a" if is_right else "z", 0, 50)]
        return QuestionGrade(
            f"q{number}", "k", "test", True, AnswerStatus.ANSWER, 0.9, is_right, is_right, False,
            ranking=judge_ranking(found, [[Span("a", 0, 10, 1)]]),
        )  # fmt: skip

    questions = [one(number, is_right=number < right) for number in range(right + wrong)]
    return Grades(tuple(questions), as_of="", seed=1, resamples=500, asked=asked)


@pytest.mark.parametrize(
    ("text", "met"),
    [
        ("recall@5 >= 0.9", True),
        ("recall@1>=0.91", False),
        ("answered wrongly <= 0.1", True),
        ("answered wrongly <= 0.05", False),
        ("right >= 0.9 for kind=k", True),
        ("right >= 0.95 for split=test", False),
    ],
)
def test_a_bound_is_met_by_the_mean(text: str, met: bool) -> None:
    verdict = check_requirement(Requirement.parse(text), result(90, 10))
    assert verdict.met is met
    assert verdict.line.startswith("met: " if met else "NOT MET: ")


def test_against_an_earlier_result_only_a_real_loss_fails() -> None:
    earlier = result(90, 10)
    bound = Requirement.parse("right >= earlier")
    assert check_requirement(bound, result(89, 11), earlier).met  # chance explains it
    assert not check_requirement(bound, result(60, 40), earlier).met
    loose = Requirement.parse("right >= earlier - 0.5")
    assert check_requirement(loose, result(60, 40), earlier).met
    lower = Requirement.parse("answered wrongly <= earlier + 0.02")
    assert not check_requirement(lower, result(60, 40), earlier).met
    with pytest.raises(CallError, match="needs an earlier result"):
        check_requirement(bound, earlier)
    with pytest.raises(QuestionSetError, match="another question set"):
        check_requirement(bound, result(90, 10, asked="other"), earlier)


@pytest.mark.parametrize(
    "text", ["recall@5", "recall@5 > 0.9", "recall@0 >= 0.5", "rigt >= 0.5", "right >= much"]
)
def test_what_is_no_bound_is_refused(text: str) -> None:
    with pytest.raises(CallError):
        Requirement.parse(text)


def test_a_bound_that_no_question_counts_towards_is_an_error() -> None:
    with pytest.raises(CallError, match="no question counts"):
        check_requirement(Requirement.parse("declined rightly >= 0.5"), result(1, 1))


def test_the_command_fails_by_its_status_and_tells_build_servers(
    make_desk: Callable[..., Desk], yonder: Callable[..., Ran], tmp_path: Path
) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer."})
    lines = [
        {"id": "a", "question": "When does the quay close?",
         "expected": [[{"document": "documents/quay.md", "quote": "closes at 22:00"}]]},
        {"id": "b", "question": "Who owns the moon?"},
    ]  # fmt: skip
    (desk.folder / "questions.jsonl").write_text("\n".join(map(json.dumps, lines)))
    desk.gather()
    junit, markdown, run = tmp_path / "j.xml", tmp_path / "m.md", tmp_path / "run.txt"
    ran = yonder(
        "grade", "--require", "recall@5 >= 1", "--require", "precision@5 >= 0.9",
        "--junit", str(junit), "--markdown", str(markdown), "--run", str(run), cwd=desk.folder,
    )  # fmt: skip
    assert ran.status == 1, ran.err
    assert "met: recall@5 >= 1: 1.000" in ran.out
    assert "NOT MET: precision@5 >= 0.9: 0.200" in ran.out
    suite = ET.parse(junit).getroot()
    assert (suite.get("tests"), suite.get("failures")) == ("2", "1")
    assert len(suite.findall(".//failure")) == 1
    assert "| recall@5 | 1.000 |" in markdown.read_text()
    assert run.read_text().splitlines()[0] == "a Q0 documents/quay.md 1 1 yonder"
    again = yonder("grade", "--against", "last", "--require", "right >= earlier", cwd=desk.folder)
    assert again.status == 0, again.err
    assert "won 0, lost 0, equal 2" in again.out
    listed = yonder("grade", "--list", "--json", cwd=desk.folder).json
    assert [len(one["id"]) for one in listed] == [20, 20]
    assert yonder("grade", "--against", "2020", cwd=desk.folder).status == 2
    assert yonder("grade", "--require", "recall@0 >= 1", cwd=desk.folder).status == 2
