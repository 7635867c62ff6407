"""Putting units together as Markdown, in the words of their sources."""

from __future__ import annotations

import bisect
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..core import Block, BlockKind, Document
from .units import Unit

_LISTED = (BlockKind.ITEM, BlockKind.ROW)  # whose lines follow each other
_NUMBERED = re.compile(r"[ \t]*(?:\(?\w{1,4}[.)]|[-*+])[ \t]")


def write(units: Sequence[Unit], numbers: Sequence[int]) -> str:
    """An answer's text: each unit as it stands in its source, and its number after it.

    Sentences of one document make a paragraph, list items a list, table rows a
    table under their header row; code stands in a fence.
    """
    parts: list[str] = []
    last: _Piece | None = None
    for number, unit in zip(numbers, units, strict=True):
        last = _put_span(parts, pieces_of(unit.document, unit.start, unit.end), number, last)
    return "".join(parts)


def write_span(document: Document, start: int, end: int, number: int) -> str:
    """A span as it stands in its document, block by block, and its number after it."""
    parts: list[str] = []
    _put_span(parts, pieces_of(document, start, end), number, None)
    return "".join(parts)


def _put_span(
    parts: list[str], pieces: Iterator[_Piece], number: int, last: _Piece | None
) -> _Piece | None:
    """Add what a span holds; its last piece bears the number."""
    first, *rest = pieces
    for piece in (first, *rest):
        mark = f"[{number}]" if piece is (first, *rest)[-1] else ""
        apart = piece is not first and piece.kind not in _LISTED
        parts.append(_put(piece, mark, None if apart else last, parts))
        last = piece
    return last


@dataclass(frozen=True, slots=True)
class _Piece:
    """What a span holds of one block."""

    document: Document
    number: int
    start: int
    end: int

    @property
    def block(self) -> Block:
        return self.document.blocks[self.number]

    @property
    def kind(self) -> BlockKind:
        return self.block.kind

    @property
    def text(self) -> str:
        return self.document.text[self.start : self.end]

    @property
    def listed(self) -> bool:
        """Whether it is an item of a list, not what defines the term before it."""
        before = self.document.blocks[self.number - 1] if self.number else None
        defines = before is not None and before.kind is BlockKind.TERM
        return self.kind is BlockKind.ITEM and not defines


def pieces_of(document: Document, start: int, end: int) -> Iterator[_Piece]:
    """What a span holds of each block, in order."""
    first = bisect.bisect_right(document.blocks, start, key=lambda block: block.start) - 1
    for number in range(max(first, 0), len(document.blocks)):
        block = document.blocks[number]
        if block.start >= end:
            break
        if max(block.start, start) < min(block.end, end):
            yield _Piece(document, number, max(block.start, start), min(block.end, end))


def _put(piece: _Piece, mark: str, last: _Piece | None, parts: Sequence[str]) -> str:
    """A piece as Markdown, with what parts it from the one before."""
    joined = last is not None and _goes_on(last, piece)
    tail = f" {mark}" if mark else ""
    if piece.kind is BlockKind.HEADER_ROW:
        return _gap(parts) + _ruled(_marked(piece.text, mark) if mark else piece.text)
    if piece.kind is BlockKind.ROW:
        row = _marked(piece.text, mark) if mark else piece.text
        return ("\n" if joined else _gap(parts) + _table_head(piece)) + row
    if piece.kind is BlockKind.CODE:
        return f"{_gap(parts)}{_fenced(piece)}" + (f"\n{mark}" if mark else "")
    if piece.listed:
        bullet = "" if _NUMBERED.match(piece.text) else "- "
        return ("\n" if joined else _gap(parts)) + f"{bullet}{piece.text}{tail}"
    return (" " if joined else _gap(parts)) + f"{piece.text}{tail}"


def _goes_on(last: _Piece, piece: _Piece) -> bool:
    if last.document.id != piece.document.id:
        return False
    if last.kind is BlockKind.HEADER_ROW and piece.block.header >= 0:
        return piece.document.blocks[piece.block.header] is last.block
    if last.kind is not piece.kind or last.listed is not piece.listed:
        return False
    if piece.kind is BlockKind.ROW:
        block, other = piece.block, last.block
        return block.header == other.header and block.under == other.under
    return True


def _gap(parts: Sequence[str]) -> str:
    return "\n\n" if parts else ""


def _marked(row: str, mark: str) -> str:
    """A row with a number in its last cell; behind the last bar it would not be shown."""
    if row.endswith("|"):
        return f"{row[:-1].rstrip()} {mark} |"
    return f"{row} {mark}"


def _table_head(row: _Piece) -> str:
    """The header row of a row's table, and the line that makes it one in Markdown."""
    if row.block.header < 0:
        return ""
    header = row.document.blocks[row.block.header]
    return _ruled(row.document.text[header.start : header.end]) + "\n"


def _ruled(header: str) -> str:
    """A header row with the line below it."""
    cells = header.strip().strip("|").count("|") + 1
    piped = header.strip().startswith("|")
    rule = "|" + "---|" * cells if piped else " | ".join(["---"] * cells)
    return f"{header}\n{rule}"


def _fenced(code: _Piece) -> str:
    text = code.text.rstrip("\n")
    if text.lstrip().startswith(("```", "~~~")):
        return text
    return f"```\n{text}\n```"
