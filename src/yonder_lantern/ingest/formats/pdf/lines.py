"""The lines of a PDF page: words, places on the page, sizes."""

from __future__ import annotations

import ctypes
from dataclasses import dataclass
from typing import Any

_HYPHEN_AT_END = "\x02"  # what PDFium gives for a hyphen that divides a word
_GAP = 0.9  # space between two words, in type sizes, from which they are two cells


@dataclass(frozen=True, slots=True)
class Cell:
    """Words that stand together on a line, from ``left`` to ``right`` in points."""

    words: str
    left: float
    right: float


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a page.

    Attributes
    ----------
    page : int
        From 1.
    cells : tuple of Cell
    top, bottom : float
        In points from the lower edge of the page.
    size : float
        Type size in points.
    bold : bool
    divided : bool
        It ends with a hyphen that divides a word.
    height : float
        Of the page.
    """

    page: int
    cells: tuple[Cell, ...]
    top: float
    bottom: float
    size: float
    bold: bool
    divided: bool
    height: float

    @property
    def words(self) -> str:
        """All words of the line."""
        return " ".join(cell.words for cell in self.cells)

    @property
    def left(self) -> float:
        """Where it begins."""
        return self.cells[0].left


@dataclass(slots=True)
class _Box:
    """A character and where it stands."""

    character: str
    index: int
    left: float
    right: float
    bottom: float
    top: float


def lines_of(page: Any, number: int, raw: Any) -> list[Line]:
    """The lines of a page in the order of its contents.

    Parameters
    ----------
    page : pypdfium2.PdfPage
    number : int
        Of the page, from 1.
    raw : module
        ``pypdfium2.raw``.
    """
    textpage = page.get_textpage()
    try:
        height = page.get_height()
        found = []
        for boxes in _rows(textpage.raw, raw):
            line = _line(boxes, number, height, textpage.raw, raw)
            if line is not None:
                found.append(line)
        return found
    finally:
        textpage.close()


def _rows(text: Any, raw: Any) -> list[list[_Box]]:
    """Characters by line, where PDFium begins a new one or the base line leaps."""
    rows: list[list[_Box]] = [[]]
    left, right, bottom, top = (ctypes.c_double() for _ in range(4))
    places = [ctypes.byref(one) for one in (left, right, bottom, top)]
    unicode_of, box_of = raw.FPDFText_GetUnicode, raw.FPDFText_GetCharBox
    high = 0
    for index in range(raw.FPDFText_CountChars(text)):
        code = unicode_of(text, index)
        if 0xD800 <= code < 0xDC00:
            high = code
            continue
        if 0xDC00 <= code < 0xE000 and high:
            code = 0x10000 + ((high - 0xD800) << 10) + (code - 0xDC00)
        high = 0
        character = chr(code) if 0 < code < 0x110000 and not 0xD800 <= code < 0xE000 else ""
        if character in ("\r", "\n"):
            if rows[-1]:
                rows.append([])
            continue
        if not character or not box_of(text, index, *places):
            continue
        box = _Box(character, index, left.value, right.value, bottom.value, top.value)
        if rows[-1] and _leaps(rows[-1][-1], box):
            rows.append([])
        rows[-1].append(box)
    return [row for row in rows if row]


def _leaps(last: _Box, box: _Box) -> bool:
    """Whether a character stands on another line than the one before it."""
    if box.character.isspace() or last.character.isspace():
        return False
    height = max(last.top - last.bottom, box.top - box.bottom, 1.0)
    return (
        last.character == _HYPHEN_AT_END
        or min(abs(box.bottom - last.bottom), abs(box.top - last.top)) > 0.8 * height
    )


def _line(boxes: list[_Box], page: int, height: float, text: Any, raw: Any) -> Line | None:
    inked = [box for box in boxes if not box.character.isspace()]
    if not inked:
        return None
    first = inked[len(inked) // 2]  # not the first: that may be a bullet of another size
    size = float(raw.FPDFText_GetFontSize(text, first.index)) or 1.0
    matrix = raw.FS_MATRIX()
    if raw.FPDFText_GetMatrix(text, first.index, matrix):
        size *= abs(matrix.d) or abs(matrix.b) or 1.0
    size = round(size, 1) or 1.0
    divided = inked[-1].character in (_HYPHEN_AT_END, "\u00ad")
    if divided:
        inked[-1].character = "-"
    cells: list[Cell] = []
    begin = 0
    for at in range(1, len(boxes) + 1):
        if at < len(boxes) and not _parts(boxes, at, size):
            continue
        part = [box for box in boxes[begin:at] if not box.character.isspace()]
        words = " ".join("".join(box.character for box in boxes[begin:at]).split())
        if part and words:
            cells.append(Cell(words, part[0].left, part[-1].right))
        begin = at
    if not cells:
        return None
    return Line(
        page,
        tuple(cells),
        max(box.top for box in inked),
        min(box.bottom for box in inked),
        size,
        raw.FPDFText_GetFontWeight(text, first.index) >= 600,
        divided,
        height,
    )


def _parts(boxes: list[_Box], at: int, size: float) -> bool:
    """Whether a new cell begins with a character: it stands far from the last inked one."""
    if boxes[at].character.isspace():
        return False
    before = at - 1
    while before >= 0 and boxes[before].character.isspace():
        before -= 1
    return before >= 0 and boxes[at].left - boxes[before].right > _GAP * size
