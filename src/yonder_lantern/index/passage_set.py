"""The passages of segments, in the forms that methods of embedding work on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from copy import copy
from typing import TYPE_CHECKING

import numpy as np

from ..core import Document
from ..embedding import Span
from ..ingest.passages import context_header
from ..platform.storage import Array, byte_order
from ..text import folded_words
from .open_segment import OpenSegment
from .segment import Segment
from .segment_words import SegmentWords
from .store import DocumentStore

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_AT_ONCE = 100


class SegmentPassages:
    """Some passages of one segment.

    Parameters
    ----------
    segment : Segment
    store : DocumentStore
    wanted : int array
        The numbers of the passages, ascending.
    counts : sparse matrix, optional
        The `term_counts` of the segment, if they are at hand.
    words : SegmentWords, optional
        The words of the segment's passages, if they are at hand.
    """

    def __init__(
        self,
        segment: Segment,
        store: DocumentStore,
        wanted: Array,
        counts: csr_matrix | None = None,
        words: SegmentWords | None = None,
    ) -> None:
        self._segment = segment
        self._store = store
        self._wanted = wanted
        self._counts = counts
        self._words = words

    def __len__(self) -> int:
        return len(self._wanted)

    def counts(self) -> tuple[csr_matrix, Sequence[str]]:
        """How often each passage holds each term, and the terms of the columns."""
        if self._counts is None:
            self._counts = term_counts(self._segment)
        found = self._counts
        if len(self._wanted) < found.shape[0]:
            found = found[self._wanted]
        return found, self._segment.terms.all()

    def parts(self, most: int) -> Iterator[tuple[Array, SegmentPassages]]:
        """At most so many of them after the other: their numbers, and they themselves."""
        for at in range(0, len(self._wanted), most):
            batch = self._wanted[at : at + most]
            part = SegmentPassages(self._segment, self._store, batch, self._counts, self._words)
            yield batch, part
            self._counts = part._counts

    def texts(self) -> Iterator[str]:
        """Each passage's words, with the context header before them."""
        for _, text in self.with_language():
            yield text

    def with_language(self) -> Iterator[tuple[str, str]]:
        """The language of each passage's document, and its words as `texts` gives them."""
        for document, span in self._each():
            _, start, end, _, block = span[:5]
            header = context_header(document, block, start)
            yield document.language, f"{header}\n{document.text[start:end]}"

    def words(self) -> Iterator[Sequence[str]]:
        """Each passage's folded words, those of the context header before them."""
        if self._words is None:
            yield from map(folded_words, self.texts())
        else:
            yield from self._words.of(self._wanted.tolist())

    def spans(self) -> Iterator[Span]:
        """Where each passage is."""
        for document, span in self._each():
            yield Span(document.id, span[1], span[2])

    def _each(self) -> Iterator[tuple[Document, list[int]]]:
        for at in range(0, len(self._wanted), _AT_ONCE):
            spans = self._segment.passages[self._wanted[at : at + _AT_ONCE]]
            rows = self._segment.documents[spans[:, 0], 0].tolist()
            documents = self._store.documents(rows)
            for row, span in zip(rows, spans.tolist(), strict=True):
                yield documents[row], span


class TrainingPassages:
    """The passages that may be learned from: those for a label, of all segments."""

    def __init__(
        self,
        opened: Sequence[OpenSegment],
        audiences: Sequence[Sequence[str]],
        label: str,
        store: DocumentStore,
        *,
        every: int = 1,
    ) -> None:
        self._opened = opened
        self._allowed = np.array([label in labels for labels in audiences], dtype=bool)
        self._store = store
        self._every = every

    def __len__(self) -> int:
        return sum(len(rows) for _, rows in self._rows())

    def counts(self) -> tuple[csr_matrix, list[str]]:
        """How often each passage holds each term, over one list of terms."""
        return stacked(
            (term_counts(one.segment)[rows], one.segment.terms.all()) for one, rows in self._rows()
        )

    def sample(self, most: int) -> TrainingPassages:
        """About so many of them, evenly spread."""
        every = max(1, len(self) // most)
        found = copy(self)
        found._every = every * self._every
        return found

    def texts(self) -> Iterator[str]:
        """Each passage's words, with the context header before them."""
        for part in self._parts():
            yield from part.texts()

    def words(self) -> Iterator[Sequence[str]]:
        """Each passage's folded words, those of the context header before them."""
        for part in self._parts():
            yield from part.words()

    def spans(self) -> Iterator[Span]:
        """Where each passage is."""
        for part in self._parts():
            yield from part.spans()

    def _parts(self) -> Iterator[SegmentPassages]:
        for opened, rows in self._rows():
            yield SegmentPassages(opened.segment, self._store, rows, words=opened.words)

    def _rows(self) -> Iterator[tuple[OpenSegment, Array]]:
        for opened in self._opened:
            documents = opened.segment.documents
            use: Array = self._allowed[documents[:, 1]]
            if opened.live is not None:
                use = use & opened.live
            rows = np.flatnonzero(use[opened.segment.passages[:, 0]])
            yield opened, rows[:: self._every]


def label_to_learn_from(
    audiences: Sequence[Sequence[str]], segments: Sequence[OpenSegment], wanted: str
) -> str:
    """The label whose documents are learned from: the one wanted, else the commonest."""
    totals: dict[str, int] = {}
    for opened in segments:
        live = opened.segment.documents
        live = live if opened.live is None else live[opened.live]
        for number, count in enumerate(np.bincount(live[:, 1], minlength=len(audiences))):
            for label in audiences[number]:
                totals[label] = totals.get(label, 0) + int(count)
    if totals.get(wanted):
        return wanted
    return max(sorted(totals), key=lambda label: totals[label], default=wanted)


def term_counts(segment: Segment) -> csr_matrix:
    """How often each passage of a segment holds each of its terms."""
    from scipy.sparse import csc_matrix

    shape = (len(segment.lengths), len(segment.terms))
    columns = (
        np.asarray(segment.posting_counts, dtype=np.float64),
        np.asarray(segment.posting_passages),
        np.asarray(segment.posting_offsets),
    )
    return csc_matrix(columns, shape=shape).tocsr()


def stacked(parts: Iterable[tuple[csr_matrix, list[str]]]) -> tuple[csr_matrix, list[str]]:
    """Counts over several lists of terms as counts over one."""
    from scipy.sparse import csr_matrix, vstack

    arrays = list(parts)
    terms = sorted({term for _, each in arrays for term in each}, key=byte_order)
    numbers = {term: number for number, term in enumerate(terms)}
    found = []
    for counts, each in arrays:
        columns = np.array([numbers[term] for term in each], dtype=np.int64)
        indices = columns[counts.indices] if len(each) else counts.indices
        shape = (counts.shape[0], len(terms))
        found.append(csr_matrix((counts.data, indices, counts.indptr), shape=shape))
    if not found:
        return csr_matrix((0, 0)), []
    return vstack(found).tocsr(), terms
