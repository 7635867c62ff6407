"""Presentations: each slide's title, text, tables and notes."""

from __future__ import annotations

import io
from collections.abc import Iterable
from contextlib import suppress
from typing import Any

from ...core import BlockKind, FormatError, LimitError, Parsed, optional
from ...platform.archives import Archive
from .format import Format
from .image_text import ImagesWithin, alternative
from .properties import office_metadata
from .writing import TextWriter

_IMAGE = 13  # the kind of shape, as the format numbers them


class SlidesFormat(Format):
    """PPTX presentations, read by python-pptx.

    A slide's title is a heading, its number the place of all that is on it.
    The alternative text of an image is a paragraph. Speaker's notes follow the slide they
    belong to. Hidden slides are left out.

    References
    ----------
    ISO/IEC 29500, Office Open XML file formats.
    """

    name = "slides"
    version = 3
    suffixes = (".pptx",)
    imaged = True

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a presentation."""
        return self.read_with(data, file_name, None)

    def read_with(self, data: bytes, file_name: str, within: ImagesWithin | None) -> Parsed:
        """The same; the images in it that have no alternative text are noted."""
        pptx = optional("pptx", "office", "reading PowerPoint files")
        Archive.checked(data, self.limits, "PowerPoint")
        try:
            presentation = pptx.Presentation(io.BytesIO(data))
            slides = list(presentation.slides)
        except Exception as error:
            raise _not_read(error) from None
        if len(slides) > self.limits.pages:
            raise LimitError(
                f"it has {len(slides)} slides; the limit is {self.limits.pages}",
                remedy="raise gather.max_pages, or exclude it",
            )
        writer = TextWriter()
        first_title = ""
        try:
            for number, slide in enumerate(slides, 1):
                if slide._element.get("show") != "0":
                    title = _slide(writer, slide, number, within)
                    first_title = first_title or title
            metadata = office_metadata(presentation.core_properties)
        except Exception as error:
            raise _not_read(error) from None
        if not writer.outline.blocks:
            empty = FormatError("its slides hold no text", remedy="exclude it; are they images?")
            if not (within and within.images):
                raise empty
            within.nothing_else = empty
        stated_title = str(metadata.pop("title", ""))
        return writer.parsed(stated_title or first_title or file_name, metadata)


def _not_read(error: Exception) -> FormatError:
    return FormatError(f"it is not a presentation: {error}", remedy="fix its name or save it anew")


def _slide(writer: TextWriter, slide: Any, number: int, within: ImagesWithin | None) -> str:
    """Write a slide; its title."""
    location: dict[str, Any] = {"part": f"slide {number}"}
    title = slide.shapes.title
    words = " ".join(title.text_frame.text.split()) if title is not None else ""
    writer.outline.close()
    if words:
        writer.block(BlockKind.HEADING, words, level=1, **location)
    for shape in _shapes(slide.shapes):
        if title is not None and shape.shape_id == title.shape_id:
            continue
        if getattr(shape, "has_table", False) and shape.has_table:
            rows = [[cell.text_frame.text for cell in row.cells] for row in shape.table.rows]
            writer.table(rows, **location)
            writer.put("\n")
        elif shape.shape_type == _IMAGE:
            described = alternative(shape._element.nvPicPr.cNvPr.get("descr", ""))
            if described:
                writer.block(BlockKind.PARAGRAPH, described, **location)
            elif within is not None and (image := _image(shape)) is not None:
                within.note(writer, *image, **location)
        elif shape.has_text_frame:
            for paragraph in shape.text_frame.paragraphs:
                text = " ".join("".join(run.text for run in paragraph.runs).split())
                writer.block(BlockKind.ITEM, text, level=paragraph.level + 1, **location)
    if slide.has_notes_slide and slide.notes_slide.notes_text_frame is not None:
        for line in slide.notes_slide.notes_text_frame.text.splitlines():
            writer.block(
                BlockKind.PARAGRAPH, " ".join(line.split()), part=f"notes of slide {number}"
            )
    return words


def _image(shape: Any) -> tuple[bytes, tuple[int, int]] | None:
    """The bytes of an image and its size in dots; None if it is only linked, or damaged."""
    with suppress(Exception):
        return shape.image.blob, shape.image.size
    return None


def _shapes(shapes: Iterable[Any]) -> Iterable[Any]:
    for shape in shapes:
        if hasattr(shape, "shapes"):  # a group
            yield from _shapes(shape.shapes)
        else:
            yield shape
