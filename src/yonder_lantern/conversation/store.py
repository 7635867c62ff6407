"""Keeping conversations: one file each, a line for every turn."""

from __future__ import annotations

import secrets
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from ..core import Caller, CallError
from ..platform.storage import append_record, read_records


@dataclass(frozen=True, slots=True)
class Turn:
    """One question and its answer.

    ``question`` is what was asked, ``rewritten`` what was searched for, ``status`` how it ended
    (`AnswerStatus`); ``choices`` is what was asked back.
    """

    question: str
    rewritten: str
    answer: str
    status: str
    trace: str
    at: str
    choices: tuple[str, ...] = ()


@dataclass(slots=True)
class Conversation:
    """A conversation and its turns so far.

    Attributes
    ----------
    id : str
    turns : list of Turn
    owner : str
        Whose it is; empty for the desk's owner.
    audience : tuple of str or None
        The labels it was held with; None is the desk's owner, who sees everything.
    kept : bool
        Whether all its turns are on the disk.
    """

    id: str
    turns: list[Turn] = field(default_factory=list)
    owner: str = ""
    audience: tuple[str, ...] | None = None
    kept: bool = True

    @property
    def questions(self) -> list[str]:
        """The questions as they were searched for, oldest first."""
        return [turn.rewritten for turn in self.turns]

    @property
    def choices(self) -> tuple[str, ...]:
        """What the last answer asked back."""
        return self.turns[-1].choices if self.turns else ()


class Conversations:
    """The conversations of a desk.

    Parameters
    ----------
    folder : Path
        Made when the first turn is kept.
    caller : Caller, optional
        Who sees them; the owner by default.
    """

    def __init__(self, folder: Path, caller: Caller | None = None) -> None:
        self._folder = folder
        self._caller = caller or Caller()

    def start(self, *, owner: str = "") -> Conversation:
        """A new conversation; nothing is written before its first turn.

        Parameters
        ----------
        owner : str
            Whose it is; only a caller of that name goes on with it.
        """
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
        return Conversation(
            f"{stamp}-{secrets.token_hex(2)}",
            owner=owner,
            audience=labels_of(self._caller),
        )

    def resume(self, id_: str = "", *, owner: str = "") -> Conversation:
        """A kept conversation by id; without, the last one that the caller may go on with.

        Parameters
        ----------
        id_ : str
        owner : str
            As for `start`. A caller who sees less than the one who had it is told that there
            is no such conversation.

        Raises
        ------
        CallError
            There is no such conversation.
        StateError
            It is damaged.
        """
        kept = list(self._folder.glob("*.jsonl")) if self._folder.is_dir() else []
        kept.sort(key=lambda path: path.stat().st_mtime_ns, reverse=True)
        for path in kept:
            if id_ in ("", path.stem):
                found = self._read(path)
                if may_go_on(found, self._caller, owner=owner):
                    return found
        what = f"there is no conversation {id_!r}" if id_ else "no conversation has been kept"
        raise CallError(what, remedy="start one with: yonder talk")

    def _read(self, path: Path) -> Conversation:
        found = Conversation(path.stem)
        for line in read_records(path):
            audience = line.pop("audience")
            found.owner = line.pop("owner")
            found.audience = None if audience is None else tuple(audience)
            choices = tuple(line.pop("choices", ()))
            found.turns.append(Turn(**line, choices=choices))
        return found

    def keep(self, conversation: Conversation, turn: Turn) -> None:
        """Add a turn to a conversation and to its file."""
        conversation.turns.append(turn)
        whom = {"owner": conversation.owner, "audience": conversation.audience}
        try:
            append_record(self._folder / f"{conversation.id}.jsonl", {**asdict(turn), **whom})
        except OSError:
            conversation.kept = False
            raise


def labels_of(caller: Caller) -> tuple[str, ...] | None:
    """A caller's labels as a conversation keeps them; None is the owner."""
    return None if caller.labels is None else tuple(sorted(caller.labels))


def may_go_on(conversation: Conversation, caller: Caller, *, owner: str = "") -> bool:
    """Whether a caller may see a conversation and go on with it.

    It is theirs, and they see at least what the one who had it saw; the desk's owner
    may see all of them.
    """
    if not owner and caller.is_owner:
        return True
    return conversation.owner == owner and caller.sees_all_of(conversation.audience)
