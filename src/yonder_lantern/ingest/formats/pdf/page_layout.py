"""What the lines of a PDF are: headings, paragraphs, items, tables, or furniture."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field

from ....core import BlockKind
from .lines import Cell, Line

_EDGE = 0.1  # the share of a page, above and below, where headers and footers stand
_ITEM = re.compile(r"(?:[•▪‣◦–*-]|\(?\d{1,3}[.)]|\(?[a-z][.)])\s+\S")
_LABEL = re.compile(r"\(?(?:\d{1,3}|[a-z])[.)]?|[•▪‣◦–*-]")
_ENDS = re.compile(r"[.!?:;…][\"'”’)]?$")
_LONGEST_HEADING = 120
_LARGER = 1.12  # than the body's type, from which a line is a heading
_ALIGNED = 4.0  # points by which the cells of a column may differ


@dataclass(slots=True)
class Stretch:
    """Lines that are one block together.

    ``level`` is a heading's; ``cells`` are a table row's words by column.
    """

    kind: BlockKind
    lines: list[Line] = field(default_factory=list)
    level: int = 0
    cells: tuple[str, ...] = ()


def without_furniture(lines: list[Line], pages: int) -> list[Line]:
    """The lines without headers, footers and page numbers.

    Furniture stands at the upper or lower edge and is the same, but for its
    figures, on half of the pages or more; of a document of two pages, on both.
    """
    if pages < 2:
        return lines
    seen: dict[tuple[bool, str], set[int]] = {}
    for line in lines:
        if _at_edge(line):
            seen.setdefault(_shape(line), set()).add(line.page)
    repeated = {shape for shape, on in seen.items() if len(on) >= max(2, pages / 2)}
    return [line for line in lines if not (_at_edge(line) and _shape(line) in repeated)]


def _at_edge(line: Line) -> bool:
    return line.bottom > (1 - _EDGE) * line.height or line.top < _EDGE * line.height


def _shape(line: Line) -> tuple[bool, str]:
    return line.bottom > line.height / 2, re.sub(r"\d+", "0", line.words)


def stretches(lines: list[Line]) -> Iterator[Stretch]:
    """The blocks that lines make, in order; the first row of a table is its header row."""
    if not lines:
        return
    letters: Counter[float] = Counter()
    for line in lines:
        letters[line.size] += len(line.words)
    body = letters.most_common(1)[0][0]
    levels = _levels(lines, body)
    open_: Stretch | None = None
    at = 0
    while at < len(lines):
        table = _table(lines, at)
        if table:
            if open_:
                yield open_
                open_ = None
            for number, cells in enumerate(table):
                kind = BlockKind.ROW if number else BlockKind.HEADER_ROW
                yield Stretch(kind, [lines[at + number]], cells=cells)
            at += len(table)
            continue
        line = lines[at]
        level = _heading_level(line, lines[at + 1] if at + 1 < len(lines) else None, levels, body)
        if open_ and _continues(open_, line, level):
            open_.lines.append(line)
        else:
            if open_:
                yield open_
            open_ = Stretch(_kind(line, level), [line], level)
        at += 1
    if open_:
        yield open_


def _kind(line: Line, level: int) -> BlockKind:
    if level:
        return BlockKind.HEADING
    return BlockKind.ITEM if _is_item(line) else BlockKind.PARAGRAPH


def _is_item(line: Line) -> bool:
    """Whether a line begins a list item: by its mark, or by a number that stands apart."""
    apart = len(line.cells) == 2 and bool(_LABEL.fullmatch(line.cells[0].words))
    return apart or bool(_ITEM.match(line.words))


def _levels(lines: list[Line], body: float) -> dict[float, int]:
    """Heading levels by type size: the largest is 1."""
    larger = {line.size for line in lines if line.size >= _LARGER * body}
    return {size: min(location, 6) for location, size in enumerate(sorted(larger, reverse=True), 1)}


def _heading_level(line: Line, after: Line | None, levels: dict[float, int], body: float) -> int:
    words = line.words
    if len(words) > _LONGEST_HEADING or not any(character.isalpha() for character in words):
        return 0
    if line.size in levels:
        return levels[line.size]
    apart = after is None or after.page != line.page or not after.bold
    if line.bold and line.size >= 0.95 * body and apart and not _ENDS.search(words):
        return min(len(levels) + 1, 6)
    return 0


def _continues(open_: Stretch, line: Line, level: int) -> bool:
    """Whether a line goes on with the block before it."""
    last = open_.lines[-1]
    if open_.level != level or abs(last.size - line.size) > 0.6:
        return False
    if line.page != last.page:
        return not level and (
            last.divided or (not _ENDS.search(last.words) and line.words[:1].islower())
        )
    gap = last.bottom - line.top
    if gap > (0.45 if level else 0.9) * max(last.size, line.size) or gap < -line.size:
        return False
    if last.divided:
        return True
    return not _is_item(line)


def _table(lines: list[Line], at: int) -> list[tuple[str, ...]]:
    """The cells of the table whose header row is a line; none where no table begins.

    A row may lack cells, but has two at least, each below one of the header's.
    """
    first = lines[at]
    rows = [tuple(cell.words for cell in first.cells)]
    if len(first.cells) < 2 or _is_item(first):
        return []
    for before, line in zip(lines[at:], lines[at + 1 :], strict=False):
        cells = _by_column(first, line)
        near = before.bottom - line.top <= 2.5 * line.size
        if line.page != first.page or not near or not cells:
            break
        rows.append(cells)
    return rows if len(rows) > 1 else []


def _by_column(header: Line, line: Line) -> tuple[str, ...]:
    """A line's cells, each under the header's cell that it stands below; none if one does not."""
    if len(line.cells) < 2:
        return ()
    found = [""] * len(header.cells)
    free = list(range(len(header.cells)))
    for cell in line.cells:
        column = next((at for at in free if _below(header.cells[at], cell)), None)
        if column is None:
            return ()
        found[column] = cell.words
        free = [at for at in free if at > column]
    return tuple(found)


def _below(above: Cell, cell: Cell) -> bool:
    """Whether two cells share an edge or the middle."""
    middles = abs(above.left + above.right - cell.left - cell.right) / 2
    apart = min(abs(above.left - cell.left), abs(above.right - cell.right), middles)
    return apart <= _ALIGNED
