"""What the images within a document show, in words of a service."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping

from ...core import BlockKind
from .writing import TextWriter

_FILE_NAME = re.compile(r"\S*\.(png|jpe?g|gif|tiff?|bmp|webp|svg|emf|wmf)", re.IGNORECASE)
_LEAST = 50  # dots; what is smaller either way is a sign, not an image
PART = "what the image shows"


class Shown:
    """Puts the words for images where they stand, and gathers those without any.

    Parameters
    ----------
    known : mapping of str to str
        By the name of an image, see `name_of`, what it shows.

    Attributes
    ----------
    unknown : dict of str to bytes
        The images that nothing is known of, by name; filled while a document is read.
    """

    def __init__(self, known: Mapping[str, str]) -> None:
        self._known = known
        self._told: set[str] = set()
        self.unknown: dict[str, bytes] = {}

    def write(
        self,
        writer: TextWriter,
        image: bytes,
        size: tuple[int, int],
        part: str = "",
        page: int = 0,
    ) -> None:
        """Write what an image shows as a paragraph; that of one that comes back once.

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
        if min(size) < _LEAST or name in self._told:
            return
        self._told.add(name)
        if name not in self._known:
            self.unknown[name] = image
        elif words := self._known[name]:
            location = {"page": page} if page else {}
            part_name = f"{part}, {PART}" if part else PART
            writer.block(BlockKind.PARAGRAPH, " ".join(words.split()), part=part_name, **location)


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
