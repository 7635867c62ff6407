"""The words of a segment's passages, in memory: only while the segment is being made."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from ..platform.storage import Array


@dataclass(frozen=True, slots=True)
class SegmentWords:
    """The folded words of each passage, its context header before them.

    Attributes
    ----------
    words : sequence of str
        Each once.
    bounds : int64 array, shape (passages + 1,)
        Where each passage begins in the next.
    numbers : int32 array
        Of the words in ``words``.
    """

    words: Sequence[str]
    bounds: Array
    numbers: Array

    def of(self, passages: Iterable[int]) -> Iterator[list[str]]:
        """The words of some passages."""
        word = self.words.__getitem__
        for passage in passages:
            low, high = self.bounds[passage : passage + 2].tolist()
            yield list(map(word, self.numbers[low:high].tolist()))
