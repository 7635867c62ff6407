"""What becomes of a model's mistakes: a simulated model's answers, with and without the check.

    python benchmarks/models.py [SPLIT]

asks the demo's questions (by default the test ones) of the simulated model, as it is and with
faults, and prints as Markdown: of the answerable questions how many are answered rightly (citations
cover what is expected, and what must be said is said); in how many answers something false stands,
as the model wrote it and as it is left by the check; how many citations are exact. Then by kind of
question, the built-in answerer beside it: of those that the documents answer, how many rightly,
wrongly and not at all; of the others, how many are declined.
"""

from __future__ import annotations

import re
import sys
import tempfile
from collections import Counter, defaultdict
from pathlib import Path

from yonder_lantern import Desk, Finished, Piece
from yonder_lantern.core import Answer
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.desk.look_inside import look_at_documents
from yonder_lantern.evaluation import Grades, load_questions
from yonder_lantern.platform.simulated.model import model_service
from yonder_lantern.settings import parse_moment

FAULTS = ("", "invents", "swaps", "miscites")
INVENTED = "harbour cat"
UNCHECKED = {"answer.unsupported": "mark", "answer.min_supported": 0.0}  # all that is written stays


def asked(desk: Desk, split: str) -> list[tuple[Answer, str]]:
    """Each question's answer, and what the model wrote."""
    found = []
    zone, own = desk.settings.desk.zone, desk.settings.grade.as_of
    for question in load_questions(desk.folder / "questions.jsonl").of_split(split).questions:
        if question.turns:
            continue
        written = ""
        moment = parse_moment(question.as_of or own, zone, "as_of")
        for event in desk.stream(question.question, audience=question.audience, as_of=moment):
            if isinstance(event, Piece):
                written += event.text
            elif isinstance(event, Finished):
                found.append((event.answer, written))
    return found


def letters(text: str) -> str:
    return "".join(filter(str.isalnum, re.sub(r"\[\d+\]", "", text)))


def false_in(desk: Desk, fault: str, text: str, cited: set[str]) -> bool:
    """Whether something false stands in a text, as far as the fault tells."""
    if fault == "invents":
        return INVENTED in text
    if fault == "swaps":  # what it copies stands in the documents, letter by letter
        whole = [letters(desk.document(id_).text) for id_ in cited]  # type: ignore[union-attr]
        parts = [letters(part) for part in re.split(r"(?<=[.|])\s*\[\d+\][.|]?\s*", text)]
        return any(part and not any(part in one for one in whole) for part in parts)
    return False


def exact(desk: Desk, answer: Answer) -> list[bool]:
    found = []
    for one in answer.citations:
        document = desk.document(one.document)
        found.append(document is not None and document.text[one.start : one.end] == one.quote)
    return found


def by_kind(grades: Grades, split: str) -> dict[str, str]:
    """For each kind of question, and all, how many are answered rightly, wrongly, or not."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for one in grades.questions:
        if one.split != split:
            continue
        outcome = "left" if not one.answered else "right" if one.right else "wrong"
        if not one.answerable:
            outcome = "answered" if one.answered else "left out"
        for kind in (one.kind, "all"):
            found[kind][outcome] += 1
    cells = {}
    for kind, own in found.items():
        parts = []
        if own["right"] + own["wrong"] + own["left"]:
            parts.append(f"{own['right']} / {own['wrong']} / {own['left']}")
        if others := own["left out"] + own["answered"]:
            parts.append(f"{own['left out']} of {others} not answered")
        cells[kind] = "; ".join(parts)
    return cells


def main() -> None:
    split = sys.argv[1] if len(sys.argv) > 1 else "test"
    print("| simulated | right | not answered | false as written | as left | exact citations |")
    print("|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made) / "demo"
        copy_demo(folder)
        with demo_services(folder):
            Desk.open(folder, record=False).gather()
        kinds = {"built-in": by_kind(Desk.open(folder, record=False).grade(split=split), split)}
        for fault in FAULTS:
            with model_service(fault=fault) as address:
                (folder / "model.toml").write_text(f'name = "m"\naddress = "{address}"\n[stream]\n')
                own = {"answer.model": "model.toml"}
                desk = Desk.open(folder, settings=own, record=False)
                grades = desk.grade(split=split)
                answers = asked(desk, split)
                if fault in ("", "invents"):
                    bare = Desk.open(folder, settings={**own, **UNCHECKED}, record=False)
                    name = fault or "as it is"
                    kinds[name] = by_kind(grades, split)
                    kinds[f"{name}, unchecked"] = by_kind(bare.grade(split=split), split)
            ids = [view.id for view in look_at_documents(desk)]
            given = [pair for pair in answers if "[" in pair[1]]
            written = sum(false_in(desk, fault, text, set(ids)) for _, text in given)
            left = sum(
                false_in(desk, fault, answer.text, set(ids))
                for answer, _ in given
                if answer.answered
            )
            kept = [good for answer, _ in answers for good in exact(desk, answer)]
            print(
                f"| {fault or 'as it is'} | {grades.measure('right', split=split)} | "
                f"{sum(not answer.answered for answer, _ in answers)} of {len(answers)} | "
                f"{written} of {len(given)} | {left} | {sum(kept)} of {len(kept)} |",
                flush=True,
            )
        print(f"\n| right / wrong / not answered | {' | '.join(kinds)} |")
        print("|---|" + "---|" * len(kinds))
        for kind in sorted(kinds["built-in"], key=lambda one: one == "all"):
            print(f"| {kind} | {' | '.join(own[kind] for own in kinds.values())} |")


if __name__ == "__main__":
    main()
