"""Why a question was missed: each fault, put in on purpose, is named."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.evaluation import Cause, ladder, side_by_side

MakeDesk = Callable[..., Desk]
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "fees.md": "# Fees\n\nA night on the pontoon costs 14 crowns for a boat of ten metres.\n",
    "crane.md": "# Crane\n\nThe crane lifts 12 tonnes at its shortest reach.\n",
    "tug.md": "# Tug\n\nThe tug Bess was built in 1931 by hand.\n",
}
QUESTIONS = {
    "quay": ("When does the quay close?", "The quay closes at 22:00 in summer"),
    "fees": ("What does a night on the pontoon cost?", "costs 14 crowns"),
    "crane": ("How much does the crane lift?", "The crane lifts 12 tonnes"),
    "tug": ("When was the tug Bess built?", "built in 1931"),
}


def asked(desk: Desk, **changed: dict[str, object]) -> None:
    lines = []
    for name, (question, quote) in QUESTIONS.items():
        line: dict[str, object] = {
            "id": name,
            "question": question,
            "expected": [[{"document": f"documents/{name}.md", "quote": quote}]],
        }
        lines.append(line | changed.get(name, {}))
    (desk.folder / "questions.jsonl").write_text("\n".join(map(json.dumps, lines)))


def causes(desk: Desk, settings: dict[str, object] | None = None) -> dict[str, Cause]:
    opened = Desk.open(desk.folder, settings=settings or {}, record=False)
    grades = opened.grade()
    return {one.id: one.cause for one in opened.failures(grades)}


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, "[answer]\nmin_support = 0.0\nmin_excerpt_support = 1.0\n")
    asked(made)
    made.gather()
    return made


def test_nothing_is_said_of_what_is_right(desk: Desk) -> None:
    assert causes(desk) == {}


def test_a_document_left_out(desk: Desk) -> None:
    (desk.folder / "documents" / "tug.md").unlink()
    desk.gather()
    assert causes(desk) == {"tug": Cause.NOT_GATHERED}


def test_a_document_that_is_damaged(desk: Desk) -> None:
    (desk.folder / "documents" / "tug.pdf").write_bytes(b"%PDF-1.4 broken")
    asked(desk, tug={"expected": [[{"document": "documents/tug.pdf", "quote": "built in 1931"}]]})
    desk.gather()
    assert causes(desk) == {"tug": Cause.UNREADABLE}


def test_a_document_that_the_asker_may_not_see(desk: Desk) -> None:
    asked(desk, tug={"audience": ["crew"]}, fees={"as_of": "2020-01-01"})
    (desk.folder / "documents" / "fees.md").write_text(
        f"---\nvalid_from: 2025-01-01\n---\n{FILES['fees.md']}"
    )
    desk.gather()
    assert causes(desk) == {
        **dict.fromkeys(("tug",), Cause.NOT_VISIBLE),
        "fees": Cause.NOT_VISIBLE,
    }


def test_a_span_that_no_passage_holds(desk: Desk) -> None:
    sentence = " ".join(f"The {number} buoy of the outer fairway is lit." for number in range(60))
    (desk.folder / "documents" / "long.md").write_text(f"# Buoys\n\n{sentence}\n")
    asked(
        desk,
        tug={
            "question": "Which buoys of the outer fairway are lit?",
            "expected": [[{"document": "documents/long.md", "quote": sentence}]],
        },
    )
    small = {"passages.tokens": 20, "passages.overlap": 0, "find.join": False, "find.limit": 2}
    Desk.open(desk.folder, settings=small).gather()
    assert causes(desk, small)["tug"] is Cause.CUT_BADLY


def test_a_stage_that_is_off_and_a_limit_that_is_too_low(desk: Desk) -> None:
    (desk.folder / "documents" / "yard.md").write_text(
        "# Yard\n\nThe yard says in which year each vessel was built: 1930, 1931, 1932.\n"
    )
    asked(desk, tug={"question": "In which year was the vessel built?"})
    desk.gather()
    assert causes(desk, {"find.limit": 1})["tug"] is Cause.RANKED_LOW
    asked(desk, tug={"question": "Zzyzx qwrt?"})
    assert causes(desk)["tug"] is Cause.NOT_RETRIEVED


def test_a_threshold_that_is_too_high(desk: Desk) -> None:
    found = causes(desk, {"answer.min_support": 0.99})
    assert set(found.values()) == {Cause.DECLINED}
    assert len(found) == 4


def test_an_answer_to_what_nothing_answers_and_a_judgement_of_another_place(desk: Desk) -> None:
    (desk.folder / "documents" / "also.md").write_text(
        "# Hours\n\nNote: the quay closes at 22:00 in summer, says the board by the gate.\n"
    )
    (desk.folder / "documents" / "quay.md").write_text("# Quay\n\nSee the board: 22:00.\n")
    asked(
        desk,
        quay={
            "expected": [[{"document": "documents/quay.md", "quote": "See the board: 22:00."}]],
            "answer": ["22:00"],
        },
        tug={"expected": []},
    )
    desk.gather()
    assert causes(desk) == {"quay": Cause.JUDGED, "tug": Cause.ANSWERED}


def test_the_ladder_adds_up_and_two_runs_are_held_side_by_side(
    desk: Desk, yonder: Callable[..., Ran]
) -> None:
    good = desk.grade()
    (desk.folder / "documents" / "tug.md").unlink()
    desk.gather()
    bad = desk.grade()
    why = desk.failures(bad)
    rungs = ladder(bad, why)
    assert rungs[-1].reached + sum(one.lost for one in rungs) == 4
    assert [one.name for one in rungs if one.lost] == ["gathered"]
    sides = side_by_side(good, bad)
    assert (sides.won, sides.lost, sides.equal) == ((), ("tug",), 3)
    ran = yonder("grade", "--failures", "--against", good.id, cwd=desk.folder)
    assert ran.status == 0, ran.err
    for said in ("not gathered, 1 question", "try: gather it", "won 0, lost 1", "documents: 4 → 3"):
        assert said in ran.out
