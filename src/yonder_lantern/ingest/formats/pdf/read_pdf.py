"""The PDF format."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from contextlib import suppress
from typing import Any

from ....core import BlockKind, FormatError, LimitError, MissingExtraError, Parsed, optional
from ..format import Format
from ..image_text import ImagesWithin
from ..ocr import read_image
from ..writing import TextWriter
from .lines import Line, lines_of
from .page_layout import Stretch, stretches, without_furniture

_DATE = re.compile(r"D:(\d{4})(\d{2})?(\d{2})?")
_DIVIDED = re.compile(r"(?<!\w)(\w+)-$")
_SCALE = 200 / 72  # dots per point at which a scanned page is drawn for reading


class PdfFormat(Format):
    """PDF documents, read by PDFium.

    Headings are told by their size or weight, tables by aligned columns; headers,
    footers and page numbers are left out; words divided at the end of a line are
    put together, and the division is kept as a difference. A page without text is
    read by Tesseract where that is installed, and named in the metadata where not.

    References
    ----------
    ISO 32000-2, Portable document format.
    """

    name = "pdf"
    version = 1
    suffixes = (".pdf",)
    heard = True
    imaged = True

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text, blocks and pages of a PDF document."""
        return self.read_with(data, file_name, None)

    def read_with(self, data: bytes, file_name: str, within: ImagesWithin | None) -> Parsed:
        """The same; the images on pages with text are noted, to be described at its end."""
        pdfium = optional("pypdfium2", "pdf", "reading PDF files")
        document = _opened(pdfium, data)
        try:
            count = len(document)
            if count > self.limits.pages:
                raise LimitError(
                    f"it has {count} pages; the limit is {self.limits.pages}",
                    remedy="raise gather.max_pages, or exclude it",
                )
            return self._read(document, count, file_name, pdfium, within)
        finally:
            document.close()

    def _read(
        self, document: Any, count: int, file_name: str, pdfium: Any, within: ImagesWithin | None
    ) -> Parsed:
        writer = TextWriter()
        lines: list[Line] = []
        silent: list[int] = []
        images: list[tuple[int, bytes, tuple[int, int]]] = []
        reader_missing: MissingExtraError | None = None
        for number in range(1, count + 1):
            page = _page(document, number)
            try:
                page_lines = lines_of(page, number, pdfium.raw)
                lines += page_lines
                if page_lines and within is not None:
                    images += [(number, *one) for one in _images(page, pdfium.raw)]
                if page_lines or reader_missing or not _imaged(page, pdfium.raw):
                    continue
                try:
                    _write(writer, without_furniture(lines, count))
                    lines = []
                    read_image(page.render(scale=_SCALE).to_pil(), writer, self.limits, page=number)
                except MissingExtraError as missing:
                    reader_missing = missing
                    silent.append(number)
            finally:
                page.close()
        _write(writer, without_furniture(lines, count))
        if within is not None:
            for number, image, size in images:
                within.note(writer, image, size, page=number)
        if not writer.outline.blocks:
            if reader_missing:
                raise FormatError(
                    "its pages are images: it was scanned", remedy=reader_missing.remedy
                )
            raise FormatError("its pages hold no text", remedy="exclude it")
        metadata = _metadata(document)
        if silent:
            metadata["pages_not_read"] = silent
        title = str(metadata.pop("title", "")) or writer.first_heading()
        return writer.parsed(title or file_name, metadata)


def _opened(pdfium: Any, data: bytes) -> Any:
    try:
        return pdfium.PdfDocument(data)
    except pdfium.PdfiumError as error:
        if "password" in str(error).lower() or "security" in str(error).lower():
            raise FormatError(
                "it is protected by a password", remedy="save it without one, or exclude it"
            ) from None
        raise FormatError(
            "it is not a PDF file, or only part of one", remedy="fix its name, or fetch it again"
        ) from None


def _page(document: Any, number: int) -> Any:
    try:
        return document[number - 1]
    except Exception as error:
        raise FormatError(f"page {number} is damaged: {error}", remedy="save it anew") from None


def _imaged(page: Any, raw: Any) -> bool:
    return any(True for _ in page.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=3))


def _images(page: Any, raw: Any) -> Iterator[tuple[bytes, tuple[int, int]]]:
    """The images on a page as PNG, and their sizes in dots; none without Pillow."""
    for one in page.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=3):
        with suppress(Exception):  # damaged, or in a form that PDFium does not draw
            drawn = one.get_bitmap().to_pil()
            out = io.BytesIO()
            drawn.save(out, "PNG")
            yield out.getvalue(), drawn.size


def _write(writer: TextWriter, lines: list[Line]) -> None:
    known = {word.lower() for line in lines for word in re.findall(r"\w+(?:-\w+)+|\w+", line.words)}
    header = -1
    for stretch in stretches(lines):
        if stretch.kind in (BlockKind.ROW, BlockKind.HEADER_ROW):
            is_header = stretch.kind is BlockKind.HEADER_ROW
            added = writer.block(
                stretch.kind,
                " | ".join(stretch.cells),
                header=-1 if is_header else header,
                page=stretch.lines[0].page,
            )
            header = added if is_header else header
            continue
        _write_lines(writer, stretch, known)


def _write_lines(writer: TextWriter, stretch: Stretch, known: set[str]) -> None:
    """Write the lines of a block as one, words that were divided put together."""
    begin = start = writer.length
    held = ""  # the first half of a divided word, with the hyphen
    for number, line in enumerate(stretch.lines):
        words = line.words
        if number and line.page != stretch.lines[number - 1].page:
            writer.mark(start, page=stretch.lines[number - 1].page)
            start = writer.length
        if held:
            rest, _, words = words.partition(" ")
            joined = held[:-1] + rest
            if held.lower() + rest.lower() in known:  # a hyphen of its own
                joined = held + rest
            writer.put_differing(joined, f"{held}\n{rest}")
            words = f" {words}" if words else ""
        elif number:
            writer.put(" ")
        held = ""
        goes_on = number + 1 < len(stretch.lines)
        divided = _DIVIDED.search(words) if goes_on and _divides(line, stretch, number) else None
        if divided:
            held = words[divided.start() :]
            words = words[: divided.start()]
        writer.put(words)
    writer.mark(start, page=stretch.lines[-1].page)
    writer.end(stretch.kind, begin, level=stretch.level)


def _divides(line: Line, stretch: Stretch, number: int) -> bool:
    return line.divided or stretch.lines[number + 1].words[:1].islower()


def _metadata(document: Any) -> dict[str, Any]:
    metadata: dict[str, Any] = {}
    try:
        found = document.get_metadata_dict(skip_empty=True)
    except Exception:  # a damaged dictionary: the text is what counts
        return metadata
    for key, name in (("Title", "title"), ("Author", "author"), ("Subject", "subject")):
        value = " ".join(str(found.get(key, "")).split())
        if value and value.lower() not in ("untitled", "anonymous", "(anonymous)", "(unspecified)"):
            metadata[name] = value
    date = _DATE.match(str(found.get("ModDate") or found.get("CreationDate") or ""))
    if date:
        metadata["date"] = "-".join(part for part in date.groups() if part)
    return metadata
