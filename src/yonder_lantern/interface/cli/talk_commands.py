"""What can be typed in a conversation besides questions: a colon and a word."""

from __future__ import annotations

import shutil
import subprocess
import sys
import textwrap
from typing import Any

from ...conversation import Conversation, recap
from ...core import CallError, Query
from ...desk import Desk, look_at_sources
from .showing import counted, width
from .terminal import AMBER, SEA, displayed, echo, faint, style, written

_HELP = (
    (":open N", "the document behind citation N; N alone does the same"),
    (":recap", "what was asked so far, and what came of it"),
    (":undo", "take the last turn back, for good"),
    (":alone", "ask the last question again as it stands, without the one before"),
    (":said", "what you said of yourself; :forget N removes one"),
    (":sources", "what the answers come from"),
    (":resume ID", "go on with another conversation; without ID they are listed"),
    (":help", "this list"),
    ("bye", "the end; :quit and Ctrl-D do the same"),
)
_LISTED = 10


class TalkCommands:
    """The commands of one conversation.

    Parameters
    ----------
    desk : Desk
        As the caller sees it.
    conversation : Conversation
    """

    def __init__(self, desk: Desk, conversation: Conversation) -> None:
        self._desk = desk
        self.conversation = conversation

    def takes(self, line: str) -> bool:
        """Whether a line is a command; a number alone is one if it is that of a citation."""
        text = line.strip()
        if text.isdecimal() and self.conversation.dialogue is None:
            return self._cited(text) is not None
        return text.startswith(":")

    def run(self, line: str) -> Query | None:
        """Do what a line says; a question that is then to be asked, if there is one.

        Raises
        ------
        CallError
            There is no such command, or what it names is not there.
        """
        name, _, rest = line.strip().removeprefix(":").partition(" ")
        rest = rest.strip()
        if name.isdecimal():
            name, rest = "open", name
        if name == "alone":
            return self._alone()
        known: dict[str, Any] = {
            "open": lambda: self._open(rest),
            "recap": self._recap,
            "undo": self._undo,
            "said": self._said,
            "forget": lambda: self._forget(rest),
            "sources": self._sources,
            "resume": lambda: self._resume(rest),
            "help": self._help,
        }
        if name not in known:
            raise CallError(f"there is no command :{name}", remedy="type :help for those there are")
        known[name]()
        return None

    def show_last(self) -> None:
        """Print the last turns, to see where the conversation stands."""
        for turn in displayed(self.conversation.turns[-3:]):
            echo(f"{style('›', bold=True)} {turn.question}\n{faint(turn.answer)}\n")

    def _help(self) -> None:
        for typed, does in _HELP:
            echo(f"  {style(f'{typed:11}', fg=SEA)} {does}")

    def _recap(self) -> None:
        for line in (recap(displayed(self.conversation)) or "Nothing was asked yet.").splitlines():
            echo(textwrap.fill(line, width(), subsequent_indent="  "))
        echo()

    def _undo(self) -> None:
        turn = self._desk.conversations.undo(self.conversation)
        echo(f"Taken back: {displayed(turn).question}")

    def _alone(self) -> Query:
        turns = self.conversation.turns
        if not turns:
            raise CallError("nothing was asked yet", remedy="ask something first")
        question = turns[-1].question
        self._desk.conversations.undo(self.conversation)
        return Query(question, standalone=True)

    def _said(self) -> None:
        for number, one in enumerate(displayed(self.conversation.preferences), 1):
            echo(f"  {number}  {one.text}")
        if not self.conversation.preferences:
            echo("Nothing is kept of what you said of yourself.")

    def _forget(self, number: str) -> None:
        kept = self.conversation.preferences
        if not number.isdecimal() or not 1 <= int(number) <= len(kept):
            raise CallError(f"there is no {number!r} in the list", ":forget", "see :said")
        one = kept[int(number) - 1]
        self._desk.conversations.forget(self.conversation, one.text)
        echo(f"Forgotten: {displayed(one).text}")

    def _sources(self) -> None:
        for one in displayed(look_at_sources(self._desk)):
            echo(f"  {one.name:18} {counted(one.documents, 'document')}")

    def _resume(self, id_: str) -> None:
        kept = self._desk.conversations
        if not id_:
            for one, _ in zip(kept.newest(), range(_LISTED), strict=False):
                echo(f"  {one.id}  {displayed(one).title}")
            return
        self.conversation = kept.resume(id_)
        self.show_last()

    def _cited(self, number: str) -> dict[str, Any] | None:
        """A citation of the last answer by its number."""
        turns = self.conversation.turns
        cited = turns[-1].reply.get("citations", ()) if turns else ()
        return next((one for one in cited if str(one["number"]) == number), None)

    def _open(self, number: str) -> None:
        one = self._cited(number)
        if one is None:
            raise CallError(f"the last answer has no citation {number!r}", ":open", "see its end")
        document = None if one["live"] else self._desk.document(one["document"])
        if document is None:
            echo(f"“{displayed(one)['quote']}”")
            return
        text = document.text
        start, end = one["start"], one["end"]
        if document.version != one["version"]:
            echo(faint("The document has changed since: the words may not be where they were."))
        quoted = _shown(text[start:end]).splitlines()
        marked = "\n".join(style(line, fg=AMBER, bold=True) for line in quoted)
        whole = f"{_shown(text[:start])}{marked}{_shown(text[end:])}"
        place = f"{document.title} ({document.id}, {one['location']['shown']})"
        _paged(f"{style(displayed(place), bold=True)}\n\n{whole}", text[:start].count("\n") + 1)


def _shown(text: str) -> str:
    """A stretch of a document, its controls made visible."""
    return str(displayed({"text": text})["text"])


def _paged(text: str, line: int) -> None:
    """Show a text from a line on: in a pager on a terminal, else what stands around it."""
    pager = shutil.which("less")
    if sys.stdout.isatty() and pager:
        subprocess.run([pager, "-R", f"+{line}"], input=written(text).encode(), check=False)
        return
    lines = text.splitlines()
    first = max(2, line - 2)
    for one in [lines[0], "", *lines[first : first + 12]]:
        echo(one[: width() * 4])
