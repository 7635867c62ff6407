"""Plain text: paragraphs, numbered items, short lines that stand as headings, aligned columns."""

from __future__ import annotations

import re

from ...core import BlockKind, Parsed, heading_words
from ...text import decode
from .format import Format
from .outline import Outline

_GROUP = re.compile(r"(?:^[^\n]*\S[^\n]*(?:\n|\Z))+", re.MULTILINE)
_ITEM = re.compile(r"[ \t]*(?:[-*•–]|\(?\d{1,3}[.)]|\(?[a-z][.)]|\d+[A-Z]\.)[ \t]+\S")
_COLUMNS = re.compile(r"\S {3,}\S")
_HEADING_END = re.compile(r"[.;,!?…\"”’]$")
_LONGEST_HEADING = 70


class PlainFormat(Format):
    """Text without markup; what structure there is, is in its blank lines.

    A line on its own, short and without a full stop, is a heading; in capitals
    it is a chapter. An indented group of lines with aligned columns is a table
    of rows, any other indented group is code.
    """

    name = "text"
    version = 1
    suffixes = (".txt", ".text")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a plain text file."""
        text = decode(data)
        outline = Outline()
        for match in _GROUP.finditer(text):
            _add_group(text, match.start(), match.end(), outline)
        first = outline.blocks[0] if outline.blocks else None
        title = file_name
        if first is not None and first.kind is BlockKind.HEADING:
            title = heading_words(text[first.start : first.end])
        return Parsed(text, tuple(outline.blocks), title)


def _add_group(text: str, start: int, end: int, outline: Outline) -> None:
    while end > start and text[end - 1].isspace():
        end -= 1
    lines = _lines(text, start, end)
    bare = text[start:end].strip()
    if len(lines) == 1 and _is_heading(bare):
        outline.heading(start + _indent(text, start), end, 1 if bare == bare.upper() else 2)
    elif (
        not outline.blocks
        and len(lines) <= 3
        and all(line.strip() == line.strip().upper() for line in bare.splitlines())
    ):
        outline.heading(start, end, 1)  # the title over two or three lines in capitals
    elif not outline.blocks and _is_heading(text[slice(*lines[0])].strip()):
        outline.heading(*lines[0], 1)  # a title with who wrote it and when below
        outline.add(BlockKind.PARAGRAPH, lines[1][0] + _indent(text, lines[1][0]), end)
    elif all(text[a:b].startswith(("   ", "\t")) for a, b in lines):
        if _ITEM.match(text, start, end):
            _add_items(text, lines, outline)
        elif sum(bool(_COLUMNS.search(text, a + _indent(text, a), b)) for a, b in lines) * 2 > len(
            lines
        ):
            for a, b in lines:
                outline.add(BlockKind.ROW, a + _indent(text, a), b)
        elif len(lines) > 1 and _is_prose(bare):
            outline.add(BlockKind.PARAGRAPH, start + _indent(text, start), end)
        else:
            outline.add(BlockKind.CODE, start, end)
    elif _ITEM.match(text, start, end):
        _add_items(text, lines, outline)
    elif (
        len(lines) > 1
        and _is_heading(text[slice(*lines[0])].strip())
        and all(text[a:b].startswith("   ") for a, b in lines[1:])
    ):
        outline.heading(*lines[0], 2)
        outline.add(BlockKind.PARAGRAPH, lines[1][0] + _indent(text, lines[1][0]), end)
    else:
        outline.add(BlockKind.PARAGRAPH, start + _indent(text, start), end)


def _add_items(text: str, lines: list[tuple[int, int]], outline: Outline) -> None:
    """Items that begin at the group's own indentation; other lines continue them."""
    margin = _indent(text, lines[0][0])
    starts = [a for a, b in lines if _ITEM.match(text, a, b) and _indent(text, a) <= margin] or [
        lines[0][0]
    ]
    for a, b in zip(starts, [*starts[1:], lines[-1][1] + 1], strict=True):
        stop = b - 1
        line_end = min((e for s, e in lines if s == a), default=stop)
        first = re.sub(r"^[ \t]*\(?\w{1,4}[.)][ \t]+", "", text[a:line_end])
        if line_end == stop and len(starts) == 1 and _is_heading(first.strip()):
            outline.heading(a + _indent(text, a), stop, 2)  # "3. Vessel movements"
        else:
            outline.add(BlockKind.ITEM, a + _indent(text, a), stop, level=1)


def _lines(text: str, start: int, end: int) -> list[tuple[int, int]]:
    found = []
    at = start
    while at < end:
        stop = text.find("\n", at, end)
        stop = end if stop < 0 else stop
        found.append((at, stop))
        at = stop + 1
    return found


def _indent(text: str, start: int) -> int:
    at = start
    while at < len(text) and text[at] in " \t":
        at += 1
    return at - start


def _is_heading(line: str) -> bool:
    return (
        0 < len(line) <= _LONGEST_HEADING
        and not _HEADING_END.search(line)
        and any(character.isalpha() for character in line)
        and (line[0].isupper() or line[0].isdigit())
        and not line.endswith(":")
    )


def _is_prose(group: str) -> bool:
    letters = sum(character.isalpha() or character.isspace() for character in group)
    return letters > 0.85 * len(group) and not _COLUMNS.search(group)
