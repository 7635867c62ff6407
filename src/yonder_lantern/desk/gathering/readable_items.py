"""The items of a source that a format reads, each under a key of its own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, MutableMapping
from dataclasses import replace

from ...core import Cancel, CancelledError, Item, SourceCounts
from ...ingest.formats import Formats, storable_key, suffix_of


def readable_items(
    items: Iterable[Item],
    formats: Formats,
    counts: SourceCounts,
    skipped: MutableMapping[str, int],
    cancel: Cancel,
) -> list[Item]:
    """The items that a format reads; the others are counted by suffix.

    Parameters
    ----------
    items : iterable of Item
    formats : Formats
    counts : SourceCounts
        Of the source: what no format reads is added to it.
    skipped : mapping of str to int
        By suffix, of all sources.
    cancel : Cancel
        Looked at before each.

    Raises
    ------
    CancelledError
        The gather was interrupted.
    """
    readable = []
    keys: Counter[str] = Counter()
    for listed in items:
        item = replace(listed, key=storable_key(listed.key))
        keys[item.key] += 1
        if keys[item.key] > 1:  # two names that are written alike
            item = replace(item, key=f"{item.key}~{keys[item.key]}")
        if cancel.is_set():
            raise CancelledError("the gather was interrupted", item.source)
        if item.unlisted or item.made or formats.for_file(item.format_name):
            readable.append(item)
        else:
            counts.skipped += 1
            suffix = suffix_of(item.format_name) or "(no suffix)"
            skipped[suffix] = skipped.get(suffix, 0) + 1
    return readable
