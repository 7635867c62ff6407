"""Grading: measures against values worked out by hand, and the demo's question set."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.core import AnswerStatus, CallError, QuestionSetError
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.evaluation import (
    Cause,
    Grades,
    Ranked,
    bootstrap_mean,
    load_questions,
    rank_measures,
)
from yonder_lantern.evaluation.fitting.fit_threshold import fit_threshold, threshold_for
from yonder_lantern.evaluation.fitting.fit_weights import RankingCase, fit_ranking, fit_support
from yonder_lantern.evaluation.grading.grades import QuestionGrade
from yonder_lantern.evaluation.questions.question_set import Span

MakeDesk = Callable[..., Desk]


def spans(*documents: str, grade: int = 1) -> list[Span]:
    return [Span(document, 10, 20, grade) for document in documents]


def hits(*documents: str) -> list[Ranked]:
    return [Ranked(document, 0, 100) for document in documents]


def test_measures_are_those_worked_out_by_hand() -> None:
    groups = [spans("a", grade=3), spans("b", "c")]  # a, and b or c
    found = rank_measures(hits("x", "c", "a", "b"), groups, depths=(1, 3))
    assert found["recall@1"] == 0
    assert found["recall@3"] == 1
    assert found["precision@3"] == pytest.approx(2 / 3)
    assert found["success@3"] == 1
    assert found["mrr"] == 1 / 2
    assert found["map"] == pytest.approx((1 / 2 + 2 / 3) / 2)
    ideal = 3 / math.log2(2) + 1 / math.log2(3)
    assert found["ndcg@3"] == pytest.approx((1 / math.log2(3) + 3 / math.log2(4)) / ideal)


def test_a_span_is_covered_by_half_of_it_and_gains_once() -> None:
    groups = [spans("a")]
    assert rank_measures([Ranked("a", 15, 40)], groups)["mrr"] == 1
    assert rank_measures([Ranked("a", 16, 40)], groups)["mrr"] == 0
    twice = rank_measures([Ranked("a", 0, 20), Ranked("a", 5, 30)], groups)
    assert twice["ndcg@5"] == twice["map"] == 1


documents = st.sampled_from("abcdef")
groups_of_spans = st.lists(
    st.lists(st.builds(lambda d, g: Span(d, 10, 20, g), documents, st.integers(1, 3)), min_size=1),
    min_size=1,
    max_size=4,
)


@given(st.lists(documents, max_size=12), groups_of_spans)
def test_measures_stay_between_nothing_and_one(found: list[str], groups: list[list[Span]]) -> None:
    measures = rank_measures(hits(*found), groups)
    assert all(0 <= value <= 1 for value in measures.values())
    worse = rank_measures(hits("z", *found), groups)
    assert all(worse[name] <= measures[name] for name in measures if name != "precision@10")
    ideal = [max(group, key=lambda span: span.grade).document for group in groups]
    if len(set(ideal)) == len(ideal) and len(ideal) <= 5:
        order = sorted(range(len(ideal)), key=lambda n: -max(s.grade for s in groups[n]))
        assert rank_measures(hits(*(ideal[n] for n in order)), groups)["recall@5"] == 1


@given(st.lists(st.floats(0, 1), min_size=1, max_size=40), st.integers(0, 5))
def test_an_interval_holds_its_mean_and_repeats(values: list[float], seed: int) -> None:
    interval = bootstrap_mean(values, seed=seed, resamples=200)
    assert interval.low - 1e-9 <= interval.mean <= interval.high + 1e-9
    assert interval == bootstrap_mean(values, seed=seed, resamples=200)


def test_an_interval_has_the_width_that_theory_gives() -> None:
    interval = bootstrap_mean([0.0, 1.0] * 200, seed=3, resamples=4000)
    assert interval.high - interval.low == pytest.approx(2 * 1.96 * 0.5 / 20, rel=0.1)


def test_fitting_finds_the_feature_that_tells() -> None:
    import numpy as np

    generator = np.random.default_rng(1)
    cases = []
    for _ in range(40):
        features = generator.random((6, 2))
        right = features[:, 1] == features[:, 1].max()
        cases.append(RankingCase(features, right))
    weights = fit_ranking(cases, start=np.zeros(2), penalty=1e-3, bounds=[(0, None)] * 2)
    assert weights[1] > 5 * weights[0]
    features = generator.random((300, 2))
    model = fit_support(
        features,
        features[:, 0] > 0.6,
        weights=np.ones(300),
        penalty=1e-4,
        bounds=[(0, None)] * 2,
    )
    assert model.probability(np.array([[0.9, 0.5]]))[0] > 0.9
    assert model.probability(np.array([[0.3, 0.5]]))[0] < 0.1


def test_the_demo_question_set_is_as_promised(whole_demo: Path) -> None:
    questions = load_questions(whole_demo / "questions.jsonl")
    desk = Desk.open(whole_demo)
    located = questions.located(lambda id_: getattr(desk.document(id_), "text", None))
    for question, groups in zip(questions.questions, located, strict=True):
        for group, expected in zip(groups, question.expected, strict=True):
            for span, one in zip(group, expected, strict=True):
                document = desk.document(span.document)
                assert document is not None
                assert document.text[span.start : span.end] == one.quote
                if question.audience:
                    assert document.audience & set(question.audience)
    total = len(questions.questions)
    unanswerable = sum(not one.answerable for one in questions.questions)
    assert total >= 300
    assert unanswerable >= 120
    assert {one.split for one in questions.questions} == {"fit", "test"}
    assert {one.kind for one in questions.questions} == {
        "plain",
        "other_words",
        "code",
        "table",
        "several",
        "superseded",
        "restricted",
        "follow_up",
        "unanswerable",
        "format",
        "source",
        "yes_no",
        "list",
        "steps",
        "total",
        "choice",
        "comparison",
        "definition",
        "disagreeing",
    }


def test_words_of_the_documents_do_not_stand_in_questions_in_other_words(demo: Path) -> None:
    desk = Desk.open(demo)
    for question in load_questions(demo / "questions.jsonl").questions:
        if question.kind == "other_words":
            asked = question.question.rstrip("?").lower().split()
            for one in (one for group in question.expected for one in group):
                quote = " ".join(one.quote.lower().split())
                runs = {" ".join(asked[n : n + 4]) for n in range(len(asked) - 3)}
                assert not [run for run in runs if run in quote]
                assert desk.document(one.document)


def test_grades_of_the_demo(demo_grades: Grades) -> None:
    """Floors well below what was measured; the figures themselves are in docs/measures.md."""
    assert demo_grades.measure("recall@5", split="test").mean > 0.7
    assert demo_grades.measure("ndcg@10", split="test").mean > 0.55
    assert demo_grades.measure("not answered rightly").mean > 0.6
    assert demo_grades.measure("declined rightly").mean > 0.3
    assert demo_grades.measure("right").mean > 0.4
    frame = demo_grades.frame()
    assert len(frame) == len(demo_grades.questions)
    assert frame.loc[frame.answerable, "ndcg@10"].between(0, 1).all()
    summary = demo_grades.summary_frame()
    row = summary[(summary.questions == "split test") & (summary.measure == "mrr")].iloc[0]
    assert row["mean"] == demo_grades.measure("mrr", split="test").mean
    assert row["count"] == sum(o.answerable and o.split == "test" for o in demo_grades.questions)


def test_questions_about_what_cannot_be_read_here_are_left_out(
    make_desk: Callable[..., Desk],
    yonder: Callable[..., Ran],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))  # there is no Tesseract on it
    image = (DEMO_FOLDER / "documents" / "plans" / "noticeboard.png").read_bytes()
    desk = make_desk({"a.md": "The quay closes at ten.", "board.png": image})
    expected = {"a.md": "closes at ten", "board.png": "The slip is closed"}
    lines = [
        {"id": name, "question": "What closes?",
         "expected": [[{"document": f"documents/{name}", "quote": quote}]]}
        for name, quote in expected.items()
    ]  # fmt: skip
    (desk.folder / "questions.jsonl").write_text("\n".join(map(json.dumps, lines)))
    assert [one.remedy for one in desk.gather().problems] == ["install the program tesseract"]
    grades = desk.grade()
    assert ([one.id for one in grades.questions], grades.left_out) == (["a.md"], 1)
    for verb in ("grade", "check"):
        ran = yonder(verb, cwd=desk.folder)
        assert ran.status == 0, ran.err
        assert "could not be read here" in ran.out
    (desk.folder / "documents" / "board.png").unlink()  # gone, and not merely unread
    desk.gather()
    grades = desk.grade()
    assert grades.measure("recall@5").mean == 0.5  # asked, and missed
    assert [one.cause for one in desk.failures(grades)] == [Cause.NOT_GATHERED]


def test_grading_twice_gives_the_same(demo: Path, demo_grades: Grades) -> None:
    traces = list(Desk.open(demo).traces.newest_first())
    again = Desk.open(demo, record=False).grade(split="test")
    assert (again.id, again.asked) == ("", demo_grades.asked)
    kept = [replace(one, milliseconds=0.0) for one in demo_grades.questions]
    assert [replace(one, milliseconds=0.0) for one in again.questions] == kept
    assert list(Desk.open(demo).traces.newest_first()) == traces  # grading is no asking


@pytest.mark.parametrize(
    ("line", "what", "where"),
    [
        ('{"id": "a", "question": "x', "not JSON", "line 2"),
        ('{"id": "a"}', "missing required field `question`", "line 2"),
        ('{"id": "a", "question": "x", "kinds": 1}', "kinds", "line 2"),
        ('{"id": "a", "question": "x", "split": "dev"}', "split", "line 2"),
        ('{"id": "a", "question": "x", "expected": [[]]}', "expected", "line 2"),
        ('{"id": "one", "question": "x"}', "two questions", "lines 1 and 2"),
    ],
)
def test_a_broken_question_set_is_explained(
    tmp_path: Path, line: str, what: str, where: str
) -> None:
    path = tmp_path / "questions.jsonl"
    path.write_text('{"id": "one", "question": "Is it?"}\n' + line)
    with pytest.raises(QuestionSetError, match=what) as caught:
        load_questions(path)
    assert where in caught.value.where


def test_quotes_that_no_longer_stand_are_all_named(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": "The quay closes at 22:00."})
    desk.gather()
    expected = [
        [{"document": "documents/a.md", "quote": "at 23:00"}],
        [{"document": "documents/b.md", "quote": "x"}],
        [{"document": "documents/a.md", "quote": "quay", "occurrence": 2}],
    ]
    line = {"id": "one", "question": "When?", "expected": expected}
    (desk.folder / "questions.jsonl").write_text(json.dumps(line))
    with pytest.raises(QuestionSetError) as caught:
        desk.grade()
    assert "2 expected quotes no longer stand" in caught.value.what  # b.md is not gathered
    assert "'at 23:00'" in caught.value.what


def graded_as(support: float, *, right: bool, answerable: bool = True) -> QuestionGrade:
    status = AnswerStatus.ANSWER
    return QuestionGrade("q", "k", "fit", answerable, status, support, right, right, False)


@given(st.lists(st.tuples(st.floats(0, 0.99), st.booleans()), min_size=1, max_size=40),
       st.floats(0.01, 0.99))  # fmt: skip
def test_the_declining_threshold_is_the_lowest_that_keeps_to_the_share(
    answers: list[tuple[float, bool]], most: float
) -> None:
    questions = [graded_as(support, right=right) for support, right in answers]

    def share(threshold: float) -> float:
        given = [one.right for one in questions if one.support >= threshold]
        return 1 - sum(given) / len(given) if given else 1.0

    threshold, reached = threshold_for(
        [one.support for one in questions], [one.right for one in questions], most
    )
    lower = [n / 100 for n in range(round(threshold * 100))]
    if reached:
        assert share(threshold) <= most
        assert all(share(one) > most for one in lower)
    else:
        assert all(share(n / 100) > most for n in range(100))


@pytest.mark.parametrize(("most", "until", "threshold"), [(0.2, 0.25, 0.31), (0.05, 1.0, None)])
def test_a_threshold_that_makes_an_answer_wrong_is_raised(
    most: float, until: float, threshold: float | None
) -> None:
    """The answer of support 0.4 is right, but wrong under a threshold below ``until``."""

    def graded(least: float, split: str) -> Grades:
        questions = []
        for n in range(10):
            right = n > 4 or (n == 4 and not 0 < least < until)
            status = AnswerStatus.DECLINED if n / 10 < least else AnswerStatus.ANSWER
            questions.append(
                QuestionGrade(str(n), "k", split, True, status, n / 10, right, right, False)
            )
        if until == 1.0:  # the surest answer, too
            status = AnswerStatus.ANSWER
            wrong = QuestionGrade("9", "k", split, True, status, 0.9, True, not least, False)
            questions[9] = wrong
        return Grades(tuple(questions), "2026-11-01", 1, 100)

    fitted = fit_threshold(graded, now=0.5, max_error_rate=most)
    assert fitted.reached is (threshold is not None)
    assert (fitted.fit.wrong.mean <= most) is fitted.reached
    if threshold:
        assert fitted.fit.min_support == threshold


def test_the_declining_threshold_is_fitted_and_measured(demo: Path, tmp_path: Path) -> None:
    lines = (demo / "questions.jsonl").read_text().splitlines()
    (tmp_path / "some.jsonl").write_text("\n".join(lines[::3]))
    fitted = Desk.open(demo, record=False).tune_threshold(0.1, tmp_path / "some.jsonl")
    assert fitted.reached
    assert fitted.after.min_support > fitted.before.min_support == 0.45
    assert fitted.after.not_answered_rightly.mean >= fitted.before.not_answered_rightly.mean
    assert fitted.after.not_answered.mean > fitted.before.not_answered.mean
    assert fitted.after.wrong.low <= fitted.after.wrong.mean < fitted.after.wrong.high < 1
    assert f"min_support = {fitted.after.min_support:g}" in fitted.patch()
    with pytest.raises(CallError, match="must be between 0 and 1"):
        Desk.open(demo, record=False).tune_threshold(1.5)
