"""A conversation as Markdown, to be read elsewhere."""

from __future__ import annotations

from .turns import Conversation


def as_markdown(conversation: Conversation) -> str:
    """A conversation as a Markdown document: each question a heading, its citations below.

    Examples
    --------
    >>> from yonder_lantern.conversation import Turn
    >>> turn = Turn("When?", "When?", "At noon. [1]", "answer", "", "2026-05-01T10:00:00+00:00")
    >>> print(as_markdown(Conversation("c1", [turn], title="Opening times")))
    # Opening times
    <BLANKLINE>
    ## When?
    <BLANKLINE>
    At noon. [1]
    <BLANKLINE>
    """
    parts = [f"# {conversation.title or conversation.id}"]
    for turn in conversation.turns:
        parts.append(f"## {' '.join(turn.question.split())}")
        if turn.rewritten != turn.question:
            parts.append(f"*Taken as: {' '.join(turn.rewritten.split())}*")
        parts.append(turn.answer)
        cited = [
            f"[{one['number']}] {one['document']}: “{' '.join(one['quote'].split())}”"
            for one in turn.reply.get("citations", ())
        ]
        if cited:
            parts.append("\n".join(f"- {line}" for line in cited))
    return "\n\n".join(parts) + "\n"
