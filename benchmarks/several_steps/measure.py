"""What steps and statements gain on questions of several steps, and cost on plain ones.

    python benchmarks/several_steps/measure.py WORK [--plain]

WORK is as for fit.py. Each question is asked with one search, with steps, with statements and with
both; a right answer says what is expected and cites every step, an excerpt holds every step.
"""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from chained import SETS, Chained, answered_by_one_passage, read

from yonder_lantern import Desk
from yonder_lantern.evaluation import Grades, grade, load_questions
from yonder_lantern.evaluation.grading import QuestionGrade
from yonder_lantern.evaluation.questions import QuestionSet
from yonder_lantern.evaluation.statistics import paired_difference
from yonder_lantern.settings import with_overrides

AS_OF = {"demo": datetime(2026, 11, 1, tzinfo=UTC)}
WAYS = {
    "one search": {"steps.enabled": False, "steps.statements": False},
    "steps": {"steps.enabled": True, "steps.statements": False},
    "statements": {"steps.enabled": False, "steps.statements": True},
    "both": {"steps.enabled": True, "steps.statements": True},
}
PLAIN = ("demo", "django", "putty", "anarchism", "apcupsd", "debian-handbook", "man-pages")


def graded(desk: Desk, name: str, way: str, questions: QuestionSet) -> tuple[Grades, float]:
    own = desk.under(with_overrides(desk.settings, WAYS[way]))
    began = time.perf_counter()
    found = grade(
        own, questions, as_of=AS_OF.get(name, datetime.now(UTC)), zone=desk.settings.desk.zone
    )
    return found, (time.perf_counter() - began) * 1000 / max(1, len(questions.questions))


def question_set(chained: list[Chained]) -> QuestionSet:
    questions = tuple(one.question for one in chained)
    return QuestionSet(Path("several.jsonl"), questions, tuple(range(1, len(questions) + 1)))


def said(one: QuestionGrade, asked: dict[str, Chained]) -> QuestionGrade:
    """The grade with the phrases counted that are kept as hashes."""
    return replace(one, right=one.right and asked[one.id].is_said(one.text))


def several(work: Path, name: str) -> None:
    desk = Desk.open(work / name, record=False)
    chained = read(name, desk)
    if name == "demo":
        chained = [one for one in chained if one.question.split == "test"]
    asked = {one.question.id: one for one in chained}
    alone = answered_by_one_passage(chained, desk)
    print(f"\n{name}: {len(chained)} questions, answered by one passage: {len(alone)}")
    before: list[QuestionGrade] = []
    for way in WAYS:
        grades, milliseconds = graded(desk, name, way, question_set(chained))
        own = [said(one, asked) for one in grades.questions]
        before = before or own
        share = {
            what: sum(each) / len(own)
            for what, each in {
                "right": [one.right for one in own],
                "wrong": [one.answered and not one.right for one in own],
                "excerpt holds": [one.excerpt_holds for one in own],
                "declined": [one.declined for one in own],
            }.items()
        }
        recall = sum(one.measures["recall@10"] for one in own) / len(own)
        gain = paired_difference(
            [float(one.right) for one in before], [float(one.right) for one in own], seed=1
        )
        told = ", ".join(f"{what} {value:.2f}" for what, value in share.items())
        print(f"  {way:11} recall@10 {recall:.3f}  {told}  {milliseconds:4.0f} ms  gain {gain}")
        if "--list" in sys.argv and way in ("steps", "both"):
            for one in own:
                mark = "right" if one.right else one.outcome
                if not one.right:
                    print(f"      {one.id} {mark:22} {one.question}  => {one.text[:90]!r}")


def plain(work: Path) -> None:
    print("\nplain questions (of which one passage answers each)")
    for name in PLAIN:
        desk = Desk.open(work / name, record=False)
        questions = load_questions(work / name / "questions.jsonl")
        if name == "demo":
            questions = questions.of_split("test")
        first, before = graded(desk, name, "one search", questions)
        then, after = graded(desk, name, "steps", questions)
        differ = [
            (one, other)
            for one, other in zip(first.questions, then.questions, strict=True)
            if (one.text, one.outcome) != (other.text, other.outcome)
        ]
        better = sum(
            "right" not in one.outcome and other.outcome == "right" for one, other in differ
        )
        worse = sum(  # a right answer lost, or a wrong one given where there was none
            one.outcome == "right" or other.outcome == "wrong" != one.outcome
            for one, other in differ
            if other.outcome != "right"
        )
        print(
            f"  {name}: {len(questions.questions)}, answered otherwise {len(differ)}, "
            f"better {better}, worse {worse}, {before:.0f} -> {after:.0f} ms"
        )
        if "--list" in sys.argv:
            for one, other in differ:
                print(f"      {one.outcome} -> {other.outcome}: {one.question}")


def main() -> None:
    work = Path(sys.argv[1])
    if "--plain" in sys.argv:
        plain(work)
        return
    for name in SETS:
        several(work, name)


if __name__ == "__main__":
    main()
