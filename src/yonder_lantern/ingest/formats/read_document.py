"""From an item's bytes to a document: version, language, audience, validity."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from ...core import (
    Block,
    BlockKind,
    CallError,
    Document,
    FormatError,
    Item,
    Mark,
    MissingExtraError,
    Parsed,
)
from ...settings import parse_moment
from ...text import detect_language
from .cleaning import cleaned
from .correcting import corrected
from .format import Format
from .image_text import ImagesWithin
from .repeated_lines import without_lines

ROW_FORMAT = "row"  # of what a source made itself: a table's row, say
ROW_VERSION = 1


def read_document(
    item: Item,
    data: bytes | Parsed,
    kind: Format | None,
    *,
    zone: ZoneInfo,
    language: str = "",
    corrections: Mapping[str, str] | None = None,
    revise: Callable[[Parsed], Parsed] | None = None,
    described: str = "",
) -> Document:
    """Read one item into a document.

    Parameters
    ----------
    item : Item
    data : bytes or Parsed
        The item's bytes, or what its source made of it.
    kind : Format, optional
        The format that reads bytes.
    zone : ZoneInfo
        The zone that dates without one are in.
    language : str, optional
        What the settings say; else the document's own word, else detected.
    corrections : mapping, optional
        Words that are made out wrongly and what they should be, for formats whose
        words a machine has made out.
    revise : callable, optional
        What the desk's rules leave of it, place for place.
    described : str, optional
        What an image shows, in words; they belong to its text.

    Raises
    ------
    FormatError
        The format cannot read it, or its metadata contradict its source.
    """
    parsed = data if isinstance(data, Parsed) else parse(item, data, kind, described=described)
    return document_of(
        item,
        parsed,
        None if isinstance(data, Parsed) else kind,
        zone=zone,
        language=language,
        corrections=corrections,
        revise=revise,
    )


def parse(
    item: Item,
    data: bytes,
    kind: Format | None,
    *,
    described: str = "",
    within: ImagesWithin | None = None,
) -> Parsed:
    """The text and outline of an item's bytes.

    Parameters
    ----------
    item, data, kind, described
        As for `read_document`.
    within : ImagesWithin, optional
        Told of the images in it; without, they are passed over.

    Raises
    ------
    FormatError
        The format cannot read it.
    """
    if kind is None:
        raise FormatError("no format reads it", remedy="exclude it")
    try:
        parsed = kind.read_with(data, item.format_name, within)
    except (FormatError, MissingExtraError):
        if not described:
            raise
        parsed = Parsed("", (), item.format_name.rpartition(".")[0])  # what it shows is enough
    return with_description(parsed, described) if described else parsed


def document_of(
    item: Item,
    parsed: Parsed,
    kind: Format | None,
    *,
    zone: ZoneInfo,
    language: str = "",
    corrections: Mapping[str, str] | None = None,
    revise: Callable[[Parsed], Parsed] | None = None,
    repeated: Collection[str] = (),
) -> Document:
    """The document that an item's text makes.

    Parameters
    ----------
    item, zone, language, corrections, revise
        As for `read_document`.
    parsed : Parsed
    kind : Format or None
        What read it; None where its source made the text.
    repeated : collection of str, optional
        Lines that stand on most pages of its source, see `repeated_lines`.

    Raises
    ------
    FormatError
        Its metadata contradict its source.
    """
    name, version = (kind.name, kind.version) if kind else (ROW_FORMAT, ROW_VERSION)
    if corrections and kind and kind.heard:
        parsed = corrected(parsed, corrections)
    parsed = cleaned(replace(parsed, metadata={**item.metadata, **parsed.metadata}))
    if revise is not None:
        parsed = revise(parsed)
    shorter = without_lines(parsed, repeated) if repeated else parsed
    left_out = len(parsed.blocks) - len(shorter.blocks)
    parsed = shorter
    metadata = dict(parsed.metadata)
    valid_from = _moment(metadata, "valid_from", zone)
    valid_until = _moment(metadata, "valid_until", zone)
    if valid_from and valid_until and valid_from >= valid_until:
        raise FormatError("valid_until is not after valid_from", remedy="fix the two dates")
    said = language or str(metadata.get("language") or "")
    return Document(
        id=item.id,
        source=item.source,
        key=item.key,
        version=version_of(parsed.text + (f"\0{left_out}" if left_out else ""), name, version),
        title=parsed.title,
        language=said or detect_language(parsed.text),
        format=name,
        text=parsed.text,
        blocks=parsed.blocks,
        origin=parsed.origin,
        marks=parsed.marks,
        metadata=metadata,
        audience=_narrowed(metadata, item.audience),
        valid_from=valid_from,
        valid_until=valid_until,
    )


def with_description(parsed: Parsed, words: str) -> Parsed:
    """An image's text with what it shows as its last paragraph.

    Examples
    --------
    >>> with_description(Parsed("", (), "buoy"), "A red buoy.").text
    'A red buoy.\\n'
    """
    text = f"{parsed.text.rstrip()}\n\n" if parsed.text.strip() else ""
    block = Block(BlockKind.PARAGRAPH, len(text), len(text) + len(words))
    mark = Mark(block.start, block.end, part="what it shows")
    return replace(
        parsed,
        text=f"{text}{words}\n",
        blocks=(*parsed.blocks, block),
        marks=(*parsed.marks, mark),
        metadata={**parsed.metadata, "described": True},
    )


def version_of(text: str, format_name: str, format_version: int) -> str:
    """The version of a document: a hash of its text, format and format version."""
    digest = hashlib.sha256(f"{format_name}/{format_version}\n".encode())
    digest.update(text.encode("utf-8", "surrogatepass"))
    return digest.hexdigest()[:16]


def _moment(metadata: Mapping[str, Any], key: str, zone: ZoneInfo) -> datetime | None:
    value = metadata.get(key)
    if value in (None, ""):
        return None
    try:
        return parse_moment(str(value), zone)
    except CallError as error:
        raise FormatError(f"{key}: {error.what}", remedy=error.remedy) from None


def _narrowed(metadata: Mapping[str, Any], allowed: frozenset[str]) -> frozenset[str]:
    """The document's audience: its own labels, but only those its source has."""
    stated = metadata.get("audience")
    if stated in (None, "", []):
        return allowed
    labels = frozenset([stated] if isinstance(stated, str) else map(str, stated))
    narrowed = labels & allowed
    if not narrowed:
        raise FormatError(
            f"its audience ({', '.join(sorted(labels))}) has nothing in common with its source's "
            f"({', '.join(sorted(allowed))})",
            remedy="a document can narrow its source's audience, not widen it: fix one of the two",
        )
    return narrowed
