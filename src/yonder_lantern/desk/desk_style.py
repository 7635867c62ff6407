"""The style of the documents that ``answer.style`` names, as one caller may see them."""

from __future__ import annotations

import hashlib
import random
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

import numpy as np

from ..core import BlockKind, Caller
from ..index import Snapshot

if TYPE_CHECKING:
    from ..answer.style import Style

_ENOUGH = 300_000  # characters of each side
_KEPT = 8  # callers that see other documents
_SEED = 1


class DeskStyles:
    """What is learnt of a desk's style, once for all callers that see the same documents."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[object, ...], Style | None] = OrderedDict()
        self._guard = threading.Lock()

    def of(self, snapshot: Snapshot, patterns: Sequence[str], caller: Caller) -> Style | None:
        """The style of some documents; None where the caller sees none of them, or no other.

        Parameters
        ----------
        snapshot : Snapshot
        patterns : sequence of str
            Of the documents' ids.
        caller : Caller
        """
        seen = snapshot.visible_documents(caller, caller.at())
        mark = hashlib.sha256(np.packbits(seen).tobytes()).hexdigest()
        key = (snapshot.generation, tuple(patterns), mark)
        with self._guard:
            if key not in self._known:
                rows = snapshot.rows_of(np.flatnonzero(seen)).tolist()
                self._known[key] = _learnt(snapshot, rows, patterns)
                while len(self._known) > _KEPT:
                    self._known.popitem(last=False)
            return self._known[key]


def _learnt(snapshot: Snapshot, rows: Iterable[int], patterns: Sequence[str]) -> Style | None:
    from ..answer.style import Style  # only here: most desks name no documents

    own: list[int] = []
    others: list[int] = []
    for row, id_ in sorted(snapshot.ids(rows).items()):
        named = any(fnmatchcase(id_, pattern) for pattern in patterns)
        (own if named else others).append(row)
    mine, theirs = _paragraphs(snapshot, own), _paragraphs(snapshot, others)
    return Style(mine, theirs) if mine and theirs else None


def _paragraphs(snapshot: Snapshot, rows: Sequence[int]) -> list[str]:
    """Paragraphs of some documents, in an order that favours none, until there are enough."""
    found: list[str] = []
    characters = 0
    mixed = random.Random(_SEED).sample(rows, len(rows))
    for _, document in snapshot.each(mixed):
        for block in document.blocks:
            if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
                found.append(" ".join(document.text[block.start : block.end].split()))
                characters += len(found[-1])
        if characters >= _ENOUGH:
            break
    return found
