"""A page of a PDF document as a picture, with some words marked.

References
----------
W3C (2025), Portable Network Graphics (PNG) Specification, third edition.
"""

from __future__ import annotations

import re
import struct
import zlib
from typing import Any

import numpy as np

from ....core import CallError, FormatError, optional
from ....platform.storage import Array

_SCALE = 1.6  # dots per point
_MOST = 3000  # dots of a side
_MARK = (1.0, 0.88, 0.62)  # what the paper under a mark is multiplied by: lamp-amber
_ENDS = 10  # words at either end of a quote that are looked for alone
_MARGIN = 2  # dots around a mark


def page_picture(data: bytes, page: int, quote: str = "") -> bytes:
    """A page as a PNG picture.

    Parameters
    ----------
    data : bytes
        The PDF file.
    page : int
        The first is 1.
    quote : str
        Words to be marked, as far as they stand on the page.

    Raises
    ------
    CallError
        There is no such page.
    FormatError
        It is no PDF file, or cannot be drawn.
    MissingExtraError
        pypdfium2 is not installed.
    """
    pdfium = optional("pypdfium2", "pdf", "drawing a page")
    try:
        document = pdfium.PdfDocument(data)
    except pdfium.PdfiumError as error:
        raise FormatError(f"it cannot be drawn: {error}") from None
    try:
        if not 1 <= page <= len(document):
            raise CallError(f"there is no page {page}", "page", f"it has {len(document)}")
        drawn = document[page - 1]
        scale = min(_SCALE, _MOST / max(drawn.get_size()))
        dots = drawn.render(scale=scale, rev_byteorder=True).to_numpy()[:, :, :3].copy()
        for left, bottom, right, top in _places(drawn, quote):
            first = max(int((drawn.get_height() - top) * scale) - _MARGIN, 0)
            last = int((drawn.get_height() - bottom) * scale) + _MARGIN
            columns = slice(max(int(left * scale) - _MARGIN, 0), int(right * scale) + _MARGIN)
            under = dots[first:last, columns]
            dots[first:last, columns] = (under * np.array(_MARK)).astype(np.uint8)
        return _png(dots)
    except pdfium.PdfiumError as error:
        raise FormatError(f"it cannot be drawn: {error}") from None
    finally:
        document.close()


def _places(page: Any, quote: str) -> list[tuple[float, float, float, float]]:
    """The rectangles of the words of a quote, in points from the lower left corner."""
    words = re.findall(r"\w+", quote)
    if not words:
        return []
    on_page = page.get_textpage()
    text = on_page.get_text_range()
    whole = _found(text, words)
    spans = [whole] if whole else [_found(text, words[:_ENDS]), _found(text, words[-_ENDS:])]
    found = []
    for span in filter(None, spans):
        for at in range(on_page.count_rects(span[0], span[1] - span[0])):
            found.append(on_page.get_rect(at))
    return found


def _found(text: str, words: list[str]) -> tuple[int, int] | None:
    # A word divided at the end of a line has a hyphen and a break inside it.
    pattern = r"\W+".join(r"(?:-\s+)?".join(map(re.escape, word)) for word in words)
    match = re.search(pattern, text)
    return match.span() if match else None


def _png(dots: Array) -> bytes:
    """Red, green and blue bytes, shape (rows, columns, 3), as a PNG file."""
    rows, columns, _ = dots.shape
    lines = np.zeros((rows, 1 + 3 * columns), dtype=np.uint8)  # no filter before each line
    lines[:, 1:] = dots.reshape(rows, -1)
    header = struct.pack(">IIBBBBB", columns, rows, 8, 2, 0, 0, 0)
    chunks = ((b"IHDR", header), (b"IDAT", zlib.compress(lines.tobytes(), 6)), (b"IEND", b""))
    made = b"\x89PNG\r\n\x1a\n"
    for kind, body in chunks:
        check = struct.pack(">I", zlib.crc32(kind + body))
        made += struct.pack(">I", len(body)) + kind + body + check
    return made
