"""Word documents: paragraphs, lists and tables in their order, numbered as places."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from contextlib import suppress
from typing import Any

from ...core import BlockKind, FormatError, Parsed, optional
from ...platform.archives import Archive
from .format import Format
from .image_text import ImagesWithin, alternative
from .properties import office_metadata
from .writing import TextWriter

_HEADING = re.compile(r"heading (\d)", re.IGNORECASE)
_W = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"
_MAIN = "{http://schemas.openxmlformats.org/drawingml/2006/main}"
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
_DRAWING = "{http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing}"


class WordFormat(Format):
    """DOCX documents, read by python-docx.

    Paragraphs of the heading styles are headings. Text that was deleted under
    change tracking is left out, text that was inserted is in; headers, footers,
    notes and comments are left out. The alternative text of an image belongs to its
    paragraph. Macros are never run.

    References
    ----------
    ISO/IEC 29500, Office Open XML file formats.
    """

    name = "word"
    version = 3
    suffixes = (".docx",)
    imaged = True

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a Word document."""
        return self.read_with(data, file_name, None)

    def read_with(self, data: bytes, file_name: str, within: ImagesWithin | None) -> Parsed:
        """The same; the images in it that have no alternative text are noted."""
        docx = optional("docx", "office", "reading Word files")
        names = Archive.checked(data, self.limits, "Word")
        try:
            document = docx.Document(io.BytesIO(data))
        except Exception as error:
            raise _not_read(error) from None
        writer = TextWriter()
        try:
            _body(writer, document, docx.table.Table, within)
            metadata = office_metadata(document.core_properties)
        except Exception as error:
            raise _not_read(error) from None
        if not writer.outline.blocks:
            empty = FormatError("it holds no text", remedy="exclude it; are its pages images?")
            if not (within and within.images):
                raise empty
            within.nothing_else = empty
        if any(name.endswith("vbaProject.bin") for name in names):
            metadata["macros"] = True
        title = str(metadata.pop("title", "")) or writer.first_heading() or file_name
        return writer.parsed(title, metadata)


def _body(writer: TextWriter, document: Any, table: type, within: ImagesWithin | None) -> None:
    paragraphs = tables = 0
    for one in document.iter_inner_content():
        if isinstance(one, table):
            tables += 1
            writer.table(_rows(one), part=f"table {tables}")
            writer.put("\n")
        else:
            paragraphs += 1
            _paragraph(writer, one, paragraphs)
            if within is not None:
                for blob, size in _images(document, one._p):
                    within.note(writer, blob, size, part=f"paragraph {paragraphs}")


def _not_read(error: Exception) -> FormatError:
    if "macroEnabled" in str(error):
        return FormatError("it carries macros", remedy="save it as a .docx without macros")
    return FormatError(f"it is not a Word document: {error}", remedy="fix its name or save it anew")


def _paragraph(writer: TextWriter, paragraph: Any, number: int) -> None:
    words = " ".join(filter(None, (_words(paragraph._p).strip(), *_alternatives(paragraph._p))))
    if not words:
        return
    location: dict[str, Any] = {"part": f"paragraph {number}"}
    style = (paragraph.style.name if paragraph.style is not None else "") or ""
    heading = _HEADING.match(style)
    if heading or style == "Title":
        level = int(heading[1]) + 1 if heading else 1
        writer.block(BlockKind.HEADING, words, level=level, **location)
    elif "List" in style or paragraph._p.find(f"{_W}pPr/{_W}numPr") is not None:
        writer.block(BlockKind.ITEM, words, level=1, **location)
    else:
        writer.block(BlockKind.PARAGRAPH, words, **location)


def _words(element: Any) -> str:
    """The words of a paragraph, inserted ones too, deleted ones not."""
    out = []
    for node in element.iter(f"{_W}t", f"{_W}tab", f"{_W}br", f"{_W}cr", f"{_W}noBreakHyphen"):
        tag = node.tag[len(_W) :]
        out.append((node.text or "") if tag == "t" else "-" if tag == "noBreakHyphen" else " ")
    return "".join(out)


def _alternatives(element: Any) -> list[str]:
    """What the images of a paragraph are said to show."""
    found = (one.get("descr", "") for one in element.iter(f"{_DRAWING}docPr"))
    return [words for one in found if (words := alternative(one))]


def _images(document: Any, element: Any) -> Iterator[tuple[bytes, tuple[int, int]]]:
    """The images of a paragraph without an alternative text, and their sizes in dots."""
    for drawing in element.iter(f"{_W}drawing"):
        if _alternatives(drawing):
            continue
        for image in drawing.iter(f"{_MAIN}blip"):
            part = document.part.related_parts.get(image.get(f"{_RELATION}embed", ""))
            with suppress(Exception):  # drawn in a way that nothing here can measure
                bitmap = part.image
                yield part.blob, (bitmap.px_width, bitmap.px_height)


def _rows(table: Any) -> list[list[str]]:
    rows = []
    for row in table.rows:
        cells: list[str] = []
        last = None
        for cell in row.cells:
            if cell._tc is not last:  # a merged cell comes once
                cells.append(" ".join(_words(paragraph._p) for paragraph in cell.paragraphs))
            last = cell._tc
        rows.append(cells)
    return rows
