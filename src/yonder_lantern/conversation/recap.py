"""A conversation summed up: what was asked and what came of it, within a number of tokens."""

from __future__ import annotations

import re

from ..text import count_tokens, sentences
from .turns import Conversation, Turn

_MARK = re.compile(r"\s*\[\d+\]")
_FIRST = 220  # characters of an answer
_NONE = {
    "declined": "not in the documents",
    "excerpt": "no answer; the closest passages were shown",
}


def recap(conversation: Conversation, max_tokens: int = 400) -> str:
    """A conversation as a Markdown list, the newest turns in full, older ones dropped first.

    Each turn is its question as it was understood, and the first sentence of the answer; nothing is
    reworded. What the person said of themselves stands at the top.

    Parameters
    ----------
    conversation : Conversation
    max_tokens : int, default 400

    Examples
    --------
    >>> turn = Turn("When?", "When is it open?", "At noon. [1] Ring first.", "answer", "", "")
    >>> print(recap(Conversation("c1", [turn])))
    - When is it open? – At noon.
    """
    top = [f"- {one.text}." for one in conversation.preferences]
    room = max_tokens - sum(map(count_tokens, top))
    lines: list[str] = []
    for turn in reversed([one for one in conversation.turns if one.way != "noted"]):
        line = _line(turn)
        room -= count_tokens(line)
        if room < 0 and lines:
            break
        lines.append(line)
    left = sum(turn.way != "noted" for turn in conversation.turns) - len(lines)
    if left:
        top.append(f"- ({left} earlier turn{'s' * (left > 1)} left out)")
    return "\n".join([*top, *reversed(lines)])


def _line(turn: Turn) -> str:
    asked = " ".join(turn.rewritten.split())
    if turn.status in _NONE:
        return f"- {asked} – {_NONE[turn.status]}."
    rows = [line for line in turn.answer.splitlines() if line.startswith("|")]
    if len(rows) > 2:  # a table: its first row says enough
        cells = (cell.strip() for cell in _MARK.sub("", rows[2]).split("|"))
        return f"- {asked} – {' · '.join(filter(None, cells))}"
    text = " ".join(_MARK.sub("", turn.answer).split())
    start, end = next(iter(sentences(text)), (0, len(text)))
    first = text[start:end].strip()
    return (
        f"- {asked} – {first if len(first) <= _FIRST else first[:_FIRST].rsplit(' ', 1)[0] + ' …'}"
    )
