"""The context header of a passage: what is said above it, indexed with it and never cited."""

from __future__ import annotations

import re

from ...core import BlockKind, Document, heading_trail

_HASH = re.compile(
    r"(?=.*\d)[0-9a-fA-F]{8,}(?:-[0-9a-fA-F]+)*(?:\.\w{1,5})?"
)  # a name that no person gave


def context_header(document: Document, block: int, start: int) -> str:
    """Title, headings, and inside a table its header row, inside an entry its term.

    Inside code, its first line.

    Parameters
    ----------
    document : Document
    block : int
        The passage's first block that is not overlap.
    start : int
        Where the passage begins.
    """
    lines = [] if _HASH.fullmatch(document.title) else [document.title]
    trail = heading_trail(document.text, document.blocks, block)
    if trail and trail[0].casefold() == document.title.casefold():
        trail = trail[1:]
    if trail:
        lines.append(" > ".join(trail))
    if 0 <= block < len(document.blocks):
        this = document.blocks[block]
        if this.header >= 0:
            lines.append(document.header_of(block))
        if this.kind is BlockKind.CODE and start > this.start:
            first = document.text[this.start : this.end].split("\n", 1)[0].strip()
            if first and not first.startswith(("```", "~~~")):
                lines.append(first)
    return "\n".join(lines)
