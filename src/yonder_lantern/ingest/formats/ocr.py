"""Images of text, read by Tesseract."""

from __future__ import annotations

import io
from typing import Any

from ...core import BlockKind, FormatError, LimitError, Limits, MissingExtraError, Parsed, optional
from .format import Format
from .writing import TextWriter

_SURE = 30  # of 100; words that Tesseract is less sure of are left out
_MOST_PIXELS = 200_000_000
_INSTALL = "install the program tesseract"


class ImageFormat(Format):
    """Images of text: PNG, JPEG, TIFF and WebP, read by Tesseract.

    What was made out with little certainty is left out. The place is the line
    on the image, counted from the top, and the page of a TIFF with several.

    References
    ----------
    Smith (2007), An overview of the Tesseract OCR engine.
    """

    name = "image"
    version = 1
    suffixes = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp")
    heard = True

    def read(self, data: bytes, file_name: str) -> Parsed:
        """The words on an image."""
        image_module = optional("PIL.Image", "ocr", "reading images of text")
        try:
            image = image_module.open(io.BytesIO(data))
            image.load()
            frames = getattr(image, "n_frames", 1)
        except Exception as error:
            raise FormatError(
                f"the image cannot be opened: {error}", remedy="save it anew"
            ) from None
        if image.width * image.height > _MOST_PIXELS or frames > self.limits.pages:
            raise LimitError("the image is too large", remedy="make it smaller, or exclude it")
        writer = TextWriter()
        for frame in range(frames):
            image.seek(frame)
            location = {"page": frame + 1} if frames > 1 else {}
            read_image(image.convert("RGB"), writer, self.limits, **location)
        if not writer.outline.blocks:
            raise FormatError("no words were made out on the image", remedy="exclude it")
        return writer.parsed(file_name.rpartition(".")[0] or file_name, {"read_by": "Tesseract"})


def read_image(image: Any, writer: TextWriter, limits: Limits, **location: Any) -> None:
    """Write the paragraphs that Tesseract makes out on an image.

    Raises
    ------
    MissingExtraError
        The package or the program is not installed.
    """
    tesseract = optional("pytesseract", "ocr", "reading images of text")
    try:
        found = tesseract.image_to_data(
            image, output_type=tesseract.Output.DICT, timeout=limits.seconds
        )
    except tesseract.TesseractNotFoundError:
        raise MissingExtraError(
            "reading images of text needs the program tesseract", remedy=_INSTALL
        ) from None
    except (RuntimeError, tesseract.TesseractError) as error:
        raise FormatError(f"Tesseract failed: {error}", remedy="exclude the image") from None
    paragraphs: dict[tuple[int, int], dict[int, list[str]]] = {}
    for number, word in enumerate(found["text"]):
        if word.strip() and float(found["conf"][number]) >= _SURE:
            paragraph = (found["block_num"][number], found["par_num"][number])
            lines = paragraphs.setdefault(paragraph, {})
            lines.setdefault(found["line_num"][number], []).append(word)
    count = 0
    for lines in paragraphs.values():
        begin = writer.length
        for words in lines.values():
            count += 1
            writer.put(" " if writer.length > begin else "")
            start = writer.length
            writer.put(" ".join(words))
            writer.mark(start, lines=(count, count), **location)
        writer.end(BlockKind.PARAGRAPH, begin)
