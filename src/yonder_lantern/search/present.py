"""The best candidates as hits: joined where they touch, folded where they say the same."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ..core import AlsoIn, Document, Hit, Memo, Passage, ScoreBreakdown, location_of
from ..index import IndexReader
from ..ingest.passages import context_header
from ..settings import FindSettings
from .folding import Folding
from .visible_passages import Visible

_MOST_JOINED = 3  # passages
_MORE = 2  # documents read at once beyond those wanted: some say the same, or touch


@dataclass(frozen=True, slots=True)
class Chosen:
    """What becomes a hit: the passages it is joined of, in one document."""

    document: Document
    passages: tuple[tuple[int, int], ...]  # the spans it is joined of, the best first
    block: int
    number: int

    @property
    def start(self) -> int:
        return min(start for start, _ in self.passages)

    @property
    def end(self) -> int:
        return max(end for _, end in self.passages)


class Choice:
    """Takes candidates, best first, until there are enough hits.

    Passages of one document that touch become one hit; what says the same as an
    earlier one is only named with it; no document gives more than its share.
    """

    def __init__(self, settings: FindSettings, limit: int, memo: Memo) -> None:
        self._settings = settings
        self._limit = limit
        self._folding = Folding(memo.setdefault("folding", {}))
        self._of_document: Counter[str] = Counter()
        self.chosen: list[Chosen] = []
        self.also: dict[int, tuple[AlsoIn, ...]] = {}

    @property
    def full(self) -> bool:
        """Whether there are as many hits as wanted."""
        return len(self.chosen) >= self._limit

    def take(self, document: Document, start: int, end: int, block: int, number: int) -> None:
        """Take the next best passage; ``number`` says which candidate it is."""
        if self._settings.join:
            for at, one in enumerate(self.chosen):
                if one.document.id != document.id or len(one.passages) >= _MOST_JOINED:
                    continue
                apart = document.text[one.end : start] + document.text[end : one.start]
                if not apart.strip():
                    joined = (*one.passages, (start, end))
                    first = block if start < one.start else one.block
                    self.chosen[at] = replace(one, passages=joined, block=first)
                    return
        same = self._folding.same_as(document.text[start:end])
        if same is not None:
            self.also[self.chosen[same].number] += (AlsoIn(document.id, start, end),)
            return
        most = self._settings.per_document
        if most and self._of_document[document.id] >= most:
            self._folding.forget_last()
            return
        self._of_document[document.id] += 1
        self.also[number] = ()
        self.chosen.append(Chosen(document, ((start, end),), block, number))


def present(
    chosen: Chosen,
    rank: int,
    breakdown: ScoreBreakdown,
    also: tuple[AlsoIn, ...],
    linked: tuple[str, ...],
    neighbours: tuple[str, str],
) -> Hit:
    """A hit, with all that a person needs to judge it.

    Parameters
    ----------
    chosen : Chosen
    rank : int
        From 1.
    breakdown : ScoreBreakdown
    also : tuple of AlsoIn
        Where the same is said.
    linked : tuple of str
        From `linked_to`.
    neighbours : tuple of (str, str)
        From `words_around`.
    """
    document, start, end = chosen.document, chosen.start, chosen.end
    before, after = neighbours
    return Hit(
        rank=rank,
        document=document.id,
        version=document.version,
        title=document.title,
        language=document.language,
        start=start,
        end=end,
        text=document.text[start:end],
        context_header=context_header(document, chosen.block, start),
        location=location_of(document, start, end),
        score=breakdown.score,
        breakdown=breakdown,
        also=also,
        linked=linked,
        joined=chosen.passages if len(chosen.passages) > 1 else (),
        before=before,
        after=after,
    )


def words_around(snapshot: IndexReader, chosen: Chosen, neighbours: int) -> tuple[str, str]:
    """The words of so many neighbouring passages, before and after."""
    if not neighbours:
        return "", ""
    document, start, end = chosen.document, chosen.start, chosen.end
    spans = _passages_of(snapshot, document)
    first = next(at for at, span in enumerate(spans) if span.end > start)
    last = max(at for at, span in enumerate(spans) if span.start < end)
    begin = spans[max(0, first - neighbours)].start
    stop = spans[min(len(spans) - 1, last + neighbours)].end
    return document.text[min(begin, start) : start], document.text[end : max(stop, end)]


def _passages_of(snapshot: IndexReader, document: Document) -> list[Passage]:
    row = snapshot.document_row(document.id)
    number = snapshot.numbers_of_rows(np.array([row]))
    first, last = snapshot.bounds_of(number)
    columns = snapshot.passages(np.arange(int(first[0]), int(last[0])))
    values = (columns.start, columns.end, columns.tokens, columns.block)
    return [Passage(*one) for one in zip(*(value.tolist() for value in values), strict=True)]


def linked_to(
    snapshot: IndexReader, documents: Mapping[str, Document], visible: Visible
) -> dict[str, tuple[str, ...]]:
    """The documents that belong with each of some, those that the caller may see.

    They are named in its metadata, or have its name with another suffix.
    """
    beside = snapshot.beside(list(documents.values()))
    rows = sorted({row for others in beside.values() for row, _ in others})
    numbers = snapshot.numbers_of_rows(np.array(rows, dtype=np.int64))
    seen = {
        row
        for row, number in zip(rows, numbers.tolist(), strict=True)
        if number >= 0 and visible.documents[number]
    }
    return {id_: tuple(other for row, other in beside[id_] if row in seen) for id_ in beside}


def documents_at_once(limit: int) -> int:
    """How many documents are read at once for so many hits."""
    return limit + _MORE
