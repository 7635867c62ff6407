"""An item's bytes → canonical text, outline and the way back to the original.

In: bytes and a file name. Out: a `Parsed`, or a `FormatError` with the reason.
A format knows nothing of where the bytes came from, of passages or of the
index. Other packages add formats through the entry point group
``yonder_lantern.formats``.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .cleaning import storable_key
from .format import Format
from .image_text import ImagesWithin, name_of
from .images_within import ImagePlace, ParsedWithImages
from .read_document import document_of, parse, read_document, version_of
from .registry import Formats, suffix_of
from .repeated_lines import FEWEST, SAMPLE, repeated_lines

if TYPE_CHECKING:
    from .ocr import ImageFormat

__all__ = [
    "FEWEST",
    "SAMPLE",
    "Format",
    "Formats",
    "ImageFormat",
    "ImagePlace",
    "ImagesWithin",
    "ParsedWithImages",
    "document_of",
    "name_of",
    "parse",
    "read_document",
    "repeated_lines",
    "storable_key",
    "suffix_of",
    "version_of",
]
__getattr__ = on_first_use(
    __name__,
    {
        "ocr": ["ImageFormat"],
    },
)
