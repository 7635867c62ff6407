"""What the documents of a source are read with, and whether any page must be read to know it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from ...core import Item
from ...index import KnownItem
from .item_state import item_states


@dataclass(frozen=True, slots=True)
class SourceReading:
    """What every document of a source depends on besides its item.

    Attributes
    ----------
    common : str
        A mark of it all.
    repeated : frozenset of str
        The lines that its pages repeat: left out of them. Not known where nothing has changed.
    """

    common: str = ""
    repeated: frozenset[str] = frozenset()

    @classmethod
    def without(cls, common: str, repeated: Collection[str]) -> SourceReading:
        """A source's reading, from what its settings say, without the lines its pages repeat."""
        lines = frozenset(repeated)
        if not lines:
            return cls(common)
        mark = hashlib.sha256("\n".join(sorted(lines)).encode()).hexdigest()[:16]
        return cls(f"{common}~{mark}", lines)


def kept_reading(
    common: str,
    items: Sequence[Item],
    known: Mapping[str, KnownItem],
    live: Mapping[str, tuple[int, str, str]],
    reading_of: Callable[[str, Item], str],
) -> SourceReading | None:
    """The reading of the last gather, where no document of the source has changed; else None.

    Parameters
    ----------
    common : str
        What the settings say of the source, from `reading_of_source`.
    items : sequence of Item
        All of the source, with what its rules say.
    known : mapping of str to KnownItem
    live : mapping
        By document: row, version, source.
    reading_of : callable
        `reading_of_item`, of a common part and an item.
    """
    before = {one.reading.partition(" ")[0] for one in known.values()}
    if len(before) != 1 or len(known) != len(items):
        return None
    (was,) = before
    if was.partition("~")[0] != common:
        return None
    states = item_states(items, known, live, partial(reading_of, was))
    return SourceReading(was) if all(state.untouched for state in states) else None
