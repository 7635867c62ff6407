"""The lines that stand on most pages of a source, told by a sample of them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence

from ...core import CancelledError, Document, Item, YonderError
from ...ingest.formats import FEWEST, SAMPLE, Formats, repeated_lines

_LARGEST = 300_000  # bytes of a page that is looked at


def repeated_on_pages(
    items: Sequence[Item], formats: Formats, read: Callable[[Item], Document]
) -> frozenset[str]:
    """The lines that most HTML pages among the items of a source have in common.

    The sample is the same for the same items, however they came: what is gathered in steps must
    be as what is gathered at once.

    Parameters
    ----------
    items : sequence of Item
        All of the source.
    formats : Formats
    read : callable
        Reads a page; one that cannot be read is told when it is gathered.
    """
    sample = [item for item in items if _is_page(item, formats)]
    sample.sort(key=lambda item: hashlib.sha1(item.key.encode()).digest())
    pages = []
    for item in sample[:SAMPLE]:
        try:
            pages.append(read(item))
        except CancelledError:
            raise
        except (YonderError, OSError):
            continue
    return repeated_lines(pages)


def has_many_pages(items: Sequence[Item], formats: Formats) -> bool:
    """Whether a source has as many pages as it takes to tell what they have in common."""
    return sum(_is_page(item, formats) for item in items) >= FEWEST


def _is_page(item: Item, formats: Formats) -> bool:
    kind = None if item.made or item.unlisted else formats.for_file(item.format_name)
    return kind is not None and kind.name == "html" and item.stamp.size <= _LARGEST
