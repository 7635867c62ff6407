"""Writing question sets: what is not changed stays as it stands, line for line."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from ...platform.storage import replace_bytes
from .question_set import Expected, Question, load_questions


def as_line(question: Question) -> str:
    """A question as a line of JSON, without what is as usual.

    Examples
    --------
    >>> print(as_line(Question(id="a", question="When is it open?", kind="hours")))
    {"id": "a", "question": "When is it open?", "kind": "hours", "split": "test"}
    """
    found: dict[str, Any] = {}
    values = msgspec.structs.asdict(question)
    values["expected"] = [[_short(one) for one in group] for group in question.expected]
    values["irrelevant"] = [_short(one) for one in question.irrelevant]
    for name, value in values.items():
        if value not in (None, [], (), "", False) and not (name == "kind" and value == "plain"):
            found[name] = value
    return json.dumps(found, ensure_ascii=False)


def save_questions(
    path: Path,
    *,
    changed: Mapping[str, Question] = {},
    added: Sequence[Question] = (),
    removed: Sequence[str] = (),
) -> None:
    """Change some questions of a set, add and remove others; the file is replaced whole or not.

    Parameters
    ----------
    path : Path
        Made when missing.
    changed : mapping
        By id.
    added : sequence of Question
        Whose ids are new.
    removed : sequence of str

    Raises
    ------
    QuestionSetError
        The file is there and broken.
    """
    lines: list[str] = []
    if path.exists() and path.read_bytes().strip():
        known = load_questions(path)
        ids = dict(zip(known.lines, (one.id for one in known.questions), strict=True))
        raw = path.read_text(encoding="utf-8-sig").splitlines()
        for number, line in enumerate(raw, 1):
            id_ = ids.get(number, "")
            if id_ in removed:
                continue
            lines.append(as_line(changed[id_]) if id_ in changed else line)
    lines += map(as_line, added)
    text = "".join(f"{line}\n" for line in lines)
    replace_bytes(path, text.encode("utf-8", "surrogatepass"))


def free_id(wanted: str, taken: set[str]) -> str:
    """An id that no question has, made of a wanted one; it is taken from then on.

    Examples
    --------
    >>> free_id("table", {"table-01"})
    'table-02'
    """
    number = 1
    while f"{wanted}-{number:02}" in taken:
        number += 1
    taken.add(f"{wanted}-{number:02}")
    return f"{wanted}-{number:02}"


def _short(one: Expected) -> dict[str, Any]:
    usual = Expected(document="")
    return {
        name: value
        for name, value in msgspec.structs.asdict(one).items()
        if value != getattr(usual, name)
    }
