"""What the two sides say to each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from ...core import Document, Item, Parsed

if TYPE_CHECKING:
    from ...settings import HouseRuleSettings, PassageSettings
    from ..formats import ParsedWithImages
    from ..preparation import Prepared

HEADER = 8  # bytes that say how long a message is
READY = bytes(HEADER)  # an empty message: the process has started


@dataclass(frozen=True, slots=True)
class ReadRequest:
    """What is needed to read an item.

    Attributes
    ----------
    item : Item
    data : bytes, Parsed, ParsedWithImages or Document
        The third where its images have been described since; the last where it is only prepared.
    zone : ZoneInfo
        The zone that dates without one are in.
    language : str
        Empty: to be detected.
    corrections : mapping of str to str
    house_rules : tuple of HouseRuleSettings
    passages : PassageSettings or None
        How the document is cut and prepared for the index; None where that is done elsewhere.
    repeated : frozenset of str
        Lines that stand on most pages of its source.
    described : str
        What the item, an image, shows.
    shown : mapping of str to str or None
        What the images in the item show, by name, once that is known; empty: they are handed
        back to be described. None: they are not looked at.
    """

    item: Item
    data: bytes | Parsed | ParsedWithImages | Document
    zone: ZoneInfo
    language: str
    corrections: Mapping[str, str]
    house_rules: tuple[HouseRuleSettings, ...]
    passages: PassageSettings | None
    repeated: frozenset[str] = frozenset()
    described: str = ""
    shown: Mapping[str, str] | None = None


@dataclass(frozen=True, slots=True)
class Read:
    """A document that was read, prepared for the index where that was asked for."""

    document: Document
    prepared: Prepared | None = None


@dataclass(frozen=True, slots=True)
class ReadWithImages:
    """A document that is to be read on once the images in it are described."""

    parsed: ParsedWithImages
    images: tuple[bytes, ...]
