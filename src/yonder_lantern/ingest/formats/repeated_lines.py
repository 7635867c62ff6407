"""Lines that stand on most pages of a source: navigation, banners, "Prev | Up | Next".

They are found by their repetition. They stay in the text, where a citation's offsets are, but are
no blocks: no passage begins with them, and none of them answers.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import replace

from ...core import Block, BlockKind, Document, Parsed

SAMPLE = 24  # pages that are looked at
FEWEST = 8  # pages from which it can be said
_SHARE = 0.6  # of the pages
_LONGEST = 300  # characters of such a line
_MAY_REPEAT = (BlockKind.PARAGRAPH, BlockKind.ITEM, BlockKind.ROW, BlockKind.HEADER_ROW)


def repeated_lines(pages: Sequence[Document]) -> frozenset[str]:
    """The lines that stand on most of some pages.

    Parameters
    ----------
    pages : sequence of Document
        A sample of a source's; of less than eight nothing can be said.
    """
    if len(pages) < FEWEST:
        return frozenset()
    counts = Counter(line for page in pages for line in {_line(page, one) for one in page.blocks})
    least = _SHARE * len(pages)
    return frozenset(line for line, count in counts.items() if line and count >= least)


def without_lines(parsed: Parsed, lines: Collection[str]) -> Parsed:
    """A page whose blocks are those that are none of some lines; as it is if nothing else is."""
    kept = [at for at, block in enumerate(parsed.blocks) if _line(parsed, block) not in lines]
    if not kept or len(kept) == len(parsed.blocks):
        return parsed
    now = {old: new for new, old in enumerate(kept)}
    blocks = [
        replace(block, under=now.get(block.under, -1), header=now.get(block.header, -1))
        for block in (parsed.blocks[at] for at in kept)
    ]
    return replace(parsed, blocks=tuple(blocks))


def _line(page: Parsed | Document, block: Block) -> str:
    """A block that may repeat, as one line; empty for others."""
    if block.kind not in _MAY_REPEAT or block.end - block.start > _LONGEST:
        return ""
    return " ".join(page.text[block.start : block.end].casefold().split())
