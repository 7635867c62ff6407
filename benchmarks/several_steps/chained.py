"""The questions of several steps: over the demo, and over two collections of real documents.

Those over real documents are kept without the documents' words (`real_documents/binding.py`).
"""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

HERE = Path(__file__).parent
sys.path.append(str(HERE.parent / "real_documents"))

from binding import Bound, found_again, says  # noqa: E402

from yonder_lantern import Desk  # noqa: E402
from yonder_lantern.evaluation.questions import Expected, Question, expected_at  # noqa: E402

SETS = ("demo", "debian-handbook", "man-pages")


@dataclass(frozen=True)
class Chained:
    """A question of several steps, and the phrases that a right answer says, as hashes."""

    question: Question
    phrases: tuple[tuple[int, str], ...] = ()

    def is_said(self, text: str) -> bool:
        return all(says(text, *one) for one in self.phrases)


def read(name: str, desk: Desk) -> list[Chained]:
    """The questions of a set, as the desk's documents are today.

    Raises
    ------
    ValueError
        Words that are expected are nowhere in the documents.
    """
    texts = texts_of(desk)
    lines = (HERE / f"{name}.jsonl").read_text(encoding="utf-8").splitlines()
    return [_read(json.loads(line), texts) for line in lines]


def _read(own: Mapping[str, object], texts: Mapping[str, str]) -> Chained:
    groups, bound = [], False
    for group in own["expected"]:  # type: ignore[attr-defined]
        bound = bound or "hash" in group[0]
        groups.append(tuple(_expected(one, texts) for one in group))
    answer = own["answer"]
    phrases = tuple((one["words"], one["hash"]) for one in answer) if bound else ()  # type: ignore
    question = Question(
        id=str(own["id"]),
        question=str(own["question"]),
        kind=str(own["kind"]),
        expected=tuple(groups),
        answer=() if bound else tuple(answer),  # type: ignore[arg-type]
        wrong=tuple(own.get("wrong", ())),  # type: ignore[arg-type]
        split=str(own.get("split", "test")),
    )
    return Chained(question, phrases)


def _expected(one: Mapping[str, object], texts: Mapping[str, str]) -> Expected:
    if "hash" not in one:
        return Expected(**one)  # type: ignore[arg-type]
    short = {id_.removeprefix("documents/"): text for id_, text in texts.items()}
    found = found_again(Bound(**one), short)  # type: ignore[arg-type]
    if found is None:
        raise ValueError(f"what is expected in {one['file']} is nowhere")
    id_ = f"documents/{found[0]}"
    return expected_at(id_, texts[id_], found[1], found[2])


def texts_of(desk: Desk) -> dict[str, str]:
    """The texts of a desk's documents, by id."""
    snapshot = desk.snapshot()
    found = {}
    for _, document in snapshot.each(snapshot.live_rows()):
        found[document.id] = document.text
    return found


def answered_by_one_passage(questions: list[Chained], desk: Desk) -> list[str]:
    """The questions of which one passage of the index holds all that is expected."""
    snapshot = desk.snapshot()
    numbers = np.arange(snapshot.passage_count)
    columns = snapshot.passages(numbers)
    ids = snapshot.ids(snapshot.rows_of(np.arange(snapshot.document_count)).tolist())
    rows = snapshot.rows_of(columns.document)
    texts = texts_of(desk)
    by_document: dict[str, list[tuple[int, int]]] = {}
    for row, start, end in zip(rows, columns.start, columns.end, strict=True):
        by_document.setdefault(ids[int(row)], []).append((int(start), int(end)))
    found = []
    for one in questions:
        documents = {group[0].document for group in one.question.expected}
        if len(documents) > 1:
            continue
        (document,) = documents
        spans = [_span(texts[document], group[0]) for group in one.question.expected]
        for start, end in by_document[document]:
            if all(2 * (min(end, b) - max(start, a)) >= b - a for a, b in spans):
                found.append(one.question.id)
                break
    return found


def _span(text: str, expected: Expected) -> tuple[int, int]:
    at = -1
    for _ in range(expected.occurrence):
        at = text.index(expected.quote, at + 1)
    return at, at + len(expected.quote)
