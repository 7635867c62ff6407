"""Writing canonical text piece by piece, with its blocks, marks and runs."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ...core import BlockKind, Difference, Mark, Origin, OriginRun, Parsed
from .outline import Outline


class TextWriter:
    """Collects text that a format makes of something that is not text itself.

    A block is opened by `begin` and closed by `end`; what is put between is its
    words. Blocks stand on lines of their own.

    Examples
    --------
    >>> writer = TextWriter()
    >>> _ = writer.block(BlockKind.PARAGRAPH, "The quay is shut.", page=3)
    >>> writer.parsed("Quay").marks[0].page
    3
    """

    def __init__(self) -> None:
        self.outline = Outline()
        self.length = 0
        self._out: list[str] = []
        self._marks: list[Mark] = []
        self._runs: list[OriginRun] = []
        self._differences: list[Difference] = []

    def put(self, words: str, original: tuple[int, int] | None = None) -> None:
        """Add words, and where they stand in the original, if that is text."""
        if original and words:
            self._runs.append(OriginRun(self.length, self.length + len(words), *original))
        self._out.append(words)
        self.length += len(words)

    def put_differing(self, words: str, original: str) -> None:
        """Add words that the original has otherwise."""
        self._differences.append(Difference(self.length, self.length + len(words), original))
        self.put(words)

    def mark(self, start: int, **location: Any) -> None:
        """Say where everything from ``start`` on is in the original: see `Mark`."""
        if start < self.length:
            self._marks.append(Mark(start, self.length, **location))

    def end(self, kind: BlockKind, start: int, *, level: int = 0, header: int = -1) -> int:
        """End the block that began at ``start``; what `Outline.add` gives."""
        added = -1
        if start < self.length:
            if kind is BlockKind.HEADING:
                self.outline.heading(start, self.length, max(level, 1))
            else:
                added = self.outline.add(kind, start, self.length, level=level, header=header)
            self.put("\n" if kind in _TIGHT else "\n\n")
        return added

    def block(
        self, kind: BlockKind, words: str, *, level: int = 0, header: int = -1, **location: Any
    ) -> int:
        """Add a whole block."""
        start = self.length
        self.put(words)
        if location:
            self.mark(start, **location)
        return self.end(kind, start, level=level, header=header)

    def table(self, rows: list[list[str]], *, first_row: int = 1, **location: Any) -> None:
        """Add a table, its first row as the header row; empty rows are passed over."""
        header = -1
        for number, cells in enumerate(rows, first_row):
            words = " | ".join(" ".join(cell.split()) for cell in cells)
            if not words.strip(" |"):
                continue
            kind = BlockKind.ROW if header >= 0 else BlockKind.HEADER_ROW
            added = self.block(kind, words, header=header, row=number, **location)
            header = added if kind is BlockKind.HEADER_ROW else header

    def graft(self, parsed: Parsed, /, *, lined: bool = False, **location: Any) -> None:
        """Add the text and outline of a part that another format has read.

        Its headings stay at their levels. ``location`` is said of every block in it;
        ``lined`` adds the lines, where those of the part are lines of the original.
        """
        offset = self.length
        kept: dict[int, int] = {}  # header rows: their number there and here
        for number, block in enumerate(parsed.blocks):
            if block.kind is BlockKind.HEADING:
                self.outline.heading(block.start + offset, block.end + offset, block.level)
                continue
            header = kept.get(block.header, -1)
            added = self.outline.add(
                block.kind,
                block.start + offset,
                block.end + offset,
                level=block.level,
                header=header,
            )
            if block.kind in (BlockKind.HEADER_ROW, BlockKind.TERM):
                kept[number] = added
        for run in parsed.origin.runs:
            self._runs.append(
                OriginRun(
                    run.start + offset, run.end + offset, run.original_start, run.original_end
                )
            )
        line = 1
        at = 0
        for block in () if parsed.marks else parsed.blocks:
            line += parsed.text.count("\n", at, block.start)
            last = line + parsed.text.count("\n", block.start, block.end)
            lines = (line, last) if lined else None
            moved_mark = Mark(block.start + offset, block.end + offset, lines=lines, **location)
            if not self._marks or self._marks[-1].end <= moved_mark.start:
                self._marks.append(moved_mark)
            at = block.start
        for mark in parsed.marks:
            moved = replace(mark, start=mark.start + offset, end=mark.end + offset, **location)
            self._marks.append(moved)
        self.put(parsed.text.rstrip("\n"))
        self.put("\n\n")

    def first_heading(self) -> str:
        """The words of the first heading, for a document that does not say its title."""
        for block in self.outline.blocks:
            if block.kind is BlockKind.HEADING:
                return "".join(self._out)[block.start : block.end]
        return ""

    def parsed(self, title: str, metadata: dict[str, Any] | None = None) -> Parsed:
        """Everything written."""
        return Parsed(
            "".join(self._out),
            tuple(self.outline.blocks),
            title,
            metadata or {},
            Origin(tuple(self._runs), tuple(self._differences)),
            tuple(self._marks),
        )


_TIGHT = (BlockKind.ROW, BlockKind.HEADER_ROW, BlockKind.ITEM, BlockKind.TERM)
