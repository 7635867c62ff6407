"""Which images a document holds, and where."""

from __future__ import annotations

import hashlib
import re

from ...core import FormatError
from .images_within import ImagePlace
from .writing import TextWriter

_FILE_NAME = re.compile(r"\S*\.(png|jpe?g|gif|tiff?|bmp|webp|svg|emf|wmf)", re.IGNORECASE)
_LEAST = 50  # dots; what is smaller either way is a sign, not an image
PART = "what the image shows"


class ImagesWithin:
    """Notes the images in a document and where they stand, while it is read.

    Attributes
    ----------
    images : dict of str to bytes
        By the name of an image, see `name_of`.
    places : list of ImagePlace
        Where the words for each belong; for one that comes back, where it stands first.
    nothing_else : FormatError or None
        Why the document is refused if none of them is described.
    """

    def __init__(self) -> None:
        self.images: dict[str, bytes] = {}
        self.places: list[ImagePlace] = []
        self.nothing_else: FormatError | None = None

    def note(
        self,
        writer: TextWriter,
        image: bytes,
        size: tuple[int, int],
        part: str = "",
        page: int = 0,
    ) -> None:
        """Note an image that stands where a text is being written.

        Parameters
        ----------
        writer : TextWriter
        image : bytes
        size : tuple of int
            Its width and height in dots.
        part, page : optional
            Where it stands.
        """
        name = name_of(image)
        if min(size) < _LEAST or name in self.images:
            return
        self.images[name] = image
        outline = writer.outline
        told = f"{part}, {PART}" if part else PART
        self.places.append(
            ImagePlace(name, writer.length, len(outline.blocks), outline.under, told, page)
        )


def name_of(image: bytes) -> str:
    """What an image is known by, whatever its file is called."""
    return hashlib.sha256(image).hexdigest()


def alternative(words: str) -> str:
    """An image's alternative text; empty where a program put the name of a file there.

    Examples
    --------
    >>> alternative("The  gate."), alternative("image1.png")
    ('The gate.', '')
    """
    words = " ".join(words.split())
    return "" if _FILE_NAME.fullmatch(words) else words
