"""Building an outline: which heading a block stands under."""

from __future__ import annotations

from ...core import Block, BlockKind


class Outline:
    """Collects blocks in order and knows the headings above the next one.

    Examples
    --------
    >>> outline = Outline()
    >>> outline.heading(0, 5, 1)
    >>> outline.add(BlockKind.PARAGRAPH, 6, 20)
    1
    """

    def __init__(self) -> None:
        self.blocks: list[Block] = []
        self._open: list[int] = []

    def heading(self, start: int, end: int, level: int) -> None:
        """Add a heading; those of its level and below are closed by it."""
        while self._open and self.blocks[self._open[-1]].level >= level:
            self._open.pop()
        under = self._open[-1] if self._open else -1
        self._open.append(len(self.blocks))
        self.blocks.append(Block(BlockKind.HEADING, start, end, level, under))

    def close(self) -> None:
        """Close the headings that are open; what follows stands under none."""
        self._open.clear()

    @property
    def under(self) -> int:
        """The heading that the next block stands under, -1 for none."""
        return self._open[-1] if self._open else -1

    def add(
        self, kind: BlockKind, start: int, end: int, *, level: int = 0, header: int = -1
    ) -> int:
        """Add any other block; its index, or minus one when it is empty."""
        if start >= end:
            return -1
        self.blocks.append(Block(kind, start, end, level, self.under, header))
        return len(self.blocks) - 1
