"""Keeping conversations: one file each, a line for every turn."""

from __future__ import annotations

import json
import secrets
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from ..records import CallError
from ..storage import append_line


@dataclass(frozen=True, slots=True)
class Turn:
    """One question and its answer.

    ``question`` is what was asked, ``became`` what was searched for.
    """

    question: str
    became: str
    answer: str
    declined: bool
    trace: str
    at: str


@dataclass(slots=True)
class Conversation:
    """A conversation and its turns so far."""

    id: str
    turns: list[Turn] = field(default_factory=list)

    @property
    def questions(self) -> list[str]:
        """The questions as they were searched for, oldest first."""
        return [turn.became for turn in self.turns]


class Conversations:
    """The conversations of a desk.

    Parameters
    ----------
    folder : Path
        Made when the first turn is kept.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def start(self) -> Conversation:
        """A new conversation; nothing is written before its first turn."""
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
        return Conversation(f"{stamp}-{secrets.token_hex(2)}")

    def resume(self, id_: str = "") -> Conversation:
        """A kept conversation by id; the last one without.

        Raises
        ------
        CallError
            There is no such conversation.
        """
        kept = sorted(self._folder.glob("*.jsonl")) if self._folder.is_dir() else []
        wanted = [path for path in kept if not id_ or path.stem == id_]
        if not wanted:
            what = f"there is no conversation {id_!r}" if id_ else "no conversation has been kept"
            raise CallError(what, str(self._folder), "start one with: yonder talk")
        path = wanted[-1] if id_ else max(wanted, key=lambda path: path.stat().st_mtime_ns)
        turns = []
        for line in path.read_text(encoding="utf-8").splitlines():
            try:
                turns.append(Turn(**json.loads(line)))
            except (ValueError, TypeError):  # the last line of a process that was killed
                continue
        return Conversation(path.stem, turns)

    def keep(self, conversation: Conversation, turn: Turn) -> None:
        """Add a turn to a conversation and to its file."""
        conversation.turns.append(turn)
        line = json.dumps(asdict(turn), ensure_ascii=False)
        append_line(self._folder / f"{conversation.id}.jsonl", line)
