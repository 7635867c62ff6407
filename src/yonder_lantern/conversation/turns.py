"""A conversation, its turns, and what a list says of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..core import DialogueState
from .preferences import Preference

_TITLE = 60  # characters
_NO_QUESTIONS = ("dialogue", "courtesy", "noted")


@dataclass(frozen=True, slots=True)
class Turn:
    """One question and its answer.

    ``question`` is what was asked, ``rewritten`` what was searched for, ``status`` how it ended
    (`AnswerStatus`); ``choices`` is what was asked back. ``reply`` is the whole answer as it goes
    out: citations, support, tokens, cost, times.
    """

    question: str
    rewritten: str
    answer: str
    status: str
    trace: str
    at: str
    choices: tuple[str, ...] = ()
    reply: Mapping[str, Any] = field(default_factory=dict)

    @property
    def way(self) -> str:
        """Which way it went (`Way`)."""
        return str(self.reply.get("route", {}).get("way", "documents"))


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
    title : str
        As it was named; the first question where it was not.
    preferences : tuple of Preference
        What the person said of themselves, as far as it stands.
    kept : bool
        Whether all its turns are kept.
    request : str
        The key of the request that is answered next, where it was reserved; see
        `Conversations.reserve`.
    """

    id: str
    turns: list[Turn] = field(default_factory=list)
    owner: str = ""
    audience: tuple[str, ...] | None = None
    title: str = ""
    preferences: tuple[Preference, ...] = ()
    kept: bool = True
    request: str = ""

    @property
    def questions(self) -> list[str]:
        """The questions as they were searched for, oldest first; no values of dialogues."""
        return [turn.rewritten for turn in self.turns if turn.way not in _NO_QUESTIONS]

    @property
    def choices(self) -> tuple[str, ...]:
        """What the last answer asked back, or the one before it: "no, the other one"."""
        return next((turn.choices for turn in reversed(self.turns[-2:]) if turn.choices), ())

    @property
    def dialogue(self) -> DialogueState | None:
        """Where a dialogue stands that waits for a value."""
        kept = self.turns[-1].reply.get("dialogue") if self.turns else None
        return DialogueState(kept["name"], kept["step"], kept["values"]) if kept else None


@dataclass(frozen=True, slots=True)
class ReservedRequest:
    """A request that is answered once, however often it is sent.

    Attributes
    ----------
    turn : str
        The turn under way that answers it.
    body : str
        A digest of what was sent.
    number : int
        Of the turn that was kept for it, from 1; 0 while none is.
    is_first : bool
        Whether nobody had reserved it before.
    """

    turn: str
    body: str
    number: int = 0
    is_first: bool = False


@dataclass(frozen=True, slots=True)
class ConversationSummary:
    """What a list says of a conversation: its title, when it was last added to, how many turns."""

    id: str
    title: str
    changed: str
    turns: int
    owner: str
    audience: tuple[str, ...] | None


def title_of(question: str) -> str:
    """What a conversation is called after its first question.

    Examples
    --------
    >>> title_of("When is the fuel berth open in winter, and who keeps the key to it then?")
    'When is the fuel berth open in winter, and who keeps the …'
    """
    flat = " ".join(question.split())
    if len(flat) <= _TITLE:
        return flat
    return flat[: _TITLE - 1].rsplit(" ", 1)[0] + " …"
