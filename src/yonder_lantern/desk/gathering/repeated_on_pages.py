"""The lines that stand on most pages of a source, told by a sample of them."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from ...core import Item, Parsed
from ...ingest.formats import SAMPLE, Formats, parse, repeated_lines

_LARGEST = 300_000  # bytes of a page that is looked at


def repeated_on_pages(items: Sequence[Item], formats: Formats) -> frozenset[str]:
    """The lines that most HTML pages among the items of a source have in common.

    The sample is the same for the same items, however they came: what is gathered in steps must
    be as what is gathered at once.

    Parameters
    ----------
    items : sequence of Item
        All of the source.
    formats : Formats
    """
    pages = [item for item in items if _is_page(item, formats)]
    pages.sort(key=lambda item: hashlib.sha1(item.key.encode()).digest())
    return repeated_lines([page for item in pages[:SAMPLE] if (page := _parsed(item, formats))])


def _is_page(item: Item, formats: Formats) -> bool:
    kind = None if item.made or item.unlisted else formats.for_file(item.format_name)
    return kind is not None and kind.name == "html" and item.stamp.size <= _LARGEST


def _parsed(item: Item, formats: Formats) -> Parsed | None:
    """A page, or None: one that cannot be read is told when it is gathered."""
    try:
        data = item.read()
        if isinstance(data, Parsed):
            return data
        return parse(item, data, formats.for_file(item.format_name))
    except Exception:
        return None
