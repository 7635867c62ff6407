"""A document that was read but for what the images in it show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from ...core import Block, BlockKind, FormatError, Mark, Parsed


@dataclass(frozen=True, slots=True)
class ImagePlace:
    """Where the words for an image belong.

    Attributes
    ----------
    name : str
        Of the image, see `name_of`.
    at : int
        Offset in the text.
    block : int
        How many blocks come before.
    under : int
        The heading above it, as in `Block`.
    part : str
    page : int
        Where it stands, as in `Mark`; 0 for none.
    """

    name: str
    at: int
    block: int
    under: int
    part: str
    page: int = 0


@dataclass(frozen=True, slots=True)
class ParsedWithImages:
    """What a format made of a document, and where words for its images are to go.

    ``nothing_else`` is why it is refused if none of them is described.
    """

    parsed: Parsed
    places: tuple[ImagePlace, ...]
    nothing_else: FormatError | None = None

    def filled(self, shown: Mapping[str, str]) -> Parsed:
        """The whole, each image's words a paragraph where it stands; some may be empty.

        Raises
        ------
        FormatError
            There is no text at all.
        """
        parsed = self.parsed
        for place in reversed(self.places):
            if words := " ".join(shown.get(place.name, "").split()):
                parsed = _with_paragraph(parsed, place, words)
        if not parsed.blocks and self.nothing_else is not None:
            raise self.nothing_else
        return parsed


def _with_paragraph(parsed: Parsed, place: ImagePlace, words: str) -> Parsed:
    """The text with one more paragraph; what comes after it moves."""
    added = f"{words}\n\n"
    size, end = len(added), place.at + len(words)

    def moved(block: Block) -> Block:
        under = block.under + (block.under >= place.block)
        header = block.header + (block.header >= place.block)
        start, stop = block.start + size, block.end + size
        return replace(block, start=start, end=stop, under=under, header=header)

    block = Block(BlockKind.PARAGRAPH, place.at, end, under=place.under)
    before, after = parsed.blocks[: place.block], parsed.blocks[place.block :]
    mark = Mark(place.at, end, part=place.part, page=place.page or None)
    earlier = tuple(one for one in parsed.marks if one.end <= place.at)
    later = (
        replace(one, start=one.start + size, end=one.end + size)
        for one in parsed.marks[len(earlier) :]
    )
    return replace(
        parsed,
        text=parsed.text[: place.at] + added + parsed.text[place.at :],
        blocks=(*before, block, *map(moved, after)),
        marks=(*earlier, mark, *later),
    )
