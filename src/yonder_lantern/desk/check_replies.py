"""Checking fixed replies and dialogues: what collides, what cannot work, and expected turns."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from ..core import CallError, SettingsError, YonderError
from ..replies import check_condition, collisions, drawn
from .desk import Desk

_SHOWN = 5  # collisions


class ExpectedTurn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is said, and what must come back: a way, a name, words of the answer."""

    say: str
    way: str = ""
    name: str = ""
    answer: list[str] = []
    status: str = ""


class ExpectedTurns(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A conversation of a file of expected turns."""

    id: str
    turns: list[ExpectedTurn]
    audience: list[str] = []
    as_of: str = ""


@dataclass(frozen=True, slots=True)
class TurnMissed:
    """A turn that came out otherwise than expected."""

    conversation: str
    number: int
    say: str
    why: str


def reply_problems(desk: Desk) -> list[tuple[str, str, str]]:
    """What is wrong with the replies of a desk: what it is about, the problem, the remedy."""
    settings = desk.settings
    problems = []
    conditions = [
        *((f"fixed reply {one.name!r}", when)
          for one in settings.fixed_reply for when in (one.when, *(c.when for c in one.case))),
        *((f"dialogue {one.name!r}, step {step.name!r}", further.when)
          for one in settings.dialogue for step in one.step for further in step.next),
    ]  # fmt: skip
    for about, when in conditions:
        try:
            check_condition(when, about)
        except SettingsError as error:
            problems.append((about, error.what, error.remedy))
    looked_up = [
        *((f"fixed reply {one.name!r}", name) for one in settings.fixed_reply
          for name in one.look_ups),
        *((f"dialogue {one.name!r}", name) for one in settings.dialogue for step in one.step
          for name in step.look_ups),
    ]  # fmt: skip
    for about, name in looked_up:
        try:
            desk.look_ups.settings_of(name)
        except SettingsError as error:
            problems.append((about, error.what, error.remedy))
    return problems


def reply_collisions(desk: Desk) -> list[tuple[str, str, str]]:
    """Phrasings of different replies that are too close, in the same form."""
    settings = desk.settings
    named = [(one.name, one.phrasings) for one in settings.fixed_reply]
    named += [(one.name, one.phrasings) for one in settings.dialogue]
    if len(named) < 2:
        return []
    found = collisions(named, desk.snapshot().embedding)
    return [
        (
            f"fixed reply {one.reply!r}",
            f"{one.phrasing!r} is close to {one.other_phrasing!r} of {one.other!r}",
            "word one of the two differently, or join the replies",
        )
        for one in found[:_SHOWN]
    ]


def expected_turns(path: Path) -> list[ExpectedTurns]:
    """The conversations of a file of expected turns, one JSON object a line.

    Raises
    ------
    CallError
        The file cannot be read, or a line is not one.
    """
    try:
        lines = path.read_text(encoding="utf-8-sig").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise CallError(f"the turns cannot be read: {error}", str(path), "name a file") from None
    found = []
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            found.append(msgspec.json.decode(line, type=ExpectedTurns))
        except msgspec.DecodeError as error:
            raise CallError(
                f"not a conversation: {error}",
                f"{path}, line {number}",
                'write it as {"id": "…", "turns": [{"say": "…", "way": "fixed reply"}]}',
            ) from None
    return found


def missed_turns(desk: Desk, conversations: list[ExpectedTurns]) -> list[TurnMissed]:
    """The turns that come out otherwise than a file expects; nothing is kept."""
    missed = []
    for one in conversations:
        view = desk.as_caller(one.audience or None, one.as_of or None)
        held = view.conversations.start()
        for number, turn in enumerate(one.turns, 1):
            try:
                answer, _ = view.talk(turn.say, held, keep=False)
            except YonderError as error:
                missed.append(TurnMissed(one.id, number, turn.say, error.what))
                break
            why = _why_not(turn, answer)
            if why:
                missed.append(TurnMissed(one.id, number, turn.say, why))
    return missed


def draw_dialogues(desk: Desk, folder: Path) -> list[Path]:
    """Draw each dialogue into a folder; the files written.

    Raises
    ------
    CallError
        The folder cannot be written.
    """
    written = []
    for one in desk.settings.dialogue:
        name = re.sub(r"[^\w-]+", "-", one.name).strip("-") or "dialogue"
        path = folder / f"{name}.svg"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            path.write_text(drawn(one), encoding="utf-8")
        except OSError as error:
            raise CallError(
                f"the drawing cannot be written: {error.strerror}", str(path), "name a folder"
            ) from None
        written.append(path)
    return written


def _why_not(turn: ExpectedTurn, answer: Any) -> str:
    """What differs from what was expected; empty for nothing."""
    came = {"way": answer.route.way.value, "name": answer.route.name, "status": answer.status.value}
    for field, value in came.items():
        wanted = getattr(turn, field)
        if wanted and wanted != value:
            return f"{field} is {value or 'none'!r}, not {wanted!r}"
    folded = answer.text.casefold()
    lacking = [text for text in turn.answer if text.casefold() not in folded]
    if lacking:
        return f"{json.dumps(lacking[0], ensure_ascii=False)} is not in: {answer.text!r}"
    return ""
