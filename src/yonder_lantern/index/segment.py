"""An immutable segment: postings, lengths and passage spans as mapped arrays."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..platform.storage import (
    Array,
    StoredArray,
    TermTable,
    checked_array,
    private_folder,
    save_array,
)

NEVER = -62_135_596_800_000_000  # the end of what was never valid: the first moment of year 1


_ARRAYS = (
    "posting_offsets",
    "posting_passages",
    "posting_counts",
    "posting_leads",
    "lengths",
    "passages",
    "documents",
)


@dataclass(frozen=True, slots=True)
class Segment:
    """One segment, mapped.

    Attributes
    ----------
    name : str
    terms : TermTable
    posting_offsets : int64 array, shape (terms + 1,)
    posting_passages : int32 array
        Passages that hold each term, ascending within a term.
    posting_counts : int32 array
        How often, in the passage and in its context header.
    posting_leads : uint8 array
        How often in its context header alone; 255 is that or more.
    lengths : int32 array, shape (passages,)
        Terms in each passage, its context header included.
    passages : int64 array, shape (passages, 7)
        Document ordinal, start, end, tokens, first block; 1 if it was divided inside a
        line or sentence; and which share of its sentences ask, in 255ths.
    documents : int64 array, shape (documents, 4)
        Row in the store, audience number, valid from and until (microseconds).
    """

    name: str
    terms: TermTable
    posting_offsets: StoredArray
    posting_passages: StoredArray
    posting_counts: StoredArray
    posting_leads: StoredArray
    lengths: StoredArray
    passages: StoredArray
    documents: Array

    @classmethod
    def load(cls, folder: Path) -> Segment:
        """Map a segment's files.

        Who may see each document is checked at once, the rest when it is first read.

        Raises
        ------
        IndexStateError
            A file is missing or damaged.
        """
        stored = {name: checked_array(folder / f"{name}.npy") for name in _ARRAYS}
        documents = stored.pop("documents").whole()
        return cls(folder.name, TermTable.load(folder), documents=documents, **stored)

    def save(self, folder: Path) -> None:
        """Write the segment's files into a folder that must not exist yet."""
        private_folder(folder)
        self.terms.save(folder)
        for name in _ARRAYS:
            save_array(folder / f"{name}.npy", np.asarray(getattr(self, name)))

    def postings(self, term: str) -> tuple[Array, Array, Array] | None:
        """Passages that hold a term, how often, and how often in their leads; or None."""
        number = self.terms.find(term)
        if number < 0:
            return None
        span = slice(*self.posting_offsets[number : number + 2].tolist())
        return self.posting_passages[span], self.posting_counts[span], self.posting_leads[span]

    def first_passages(self) -> Array:
        """Where the passages of each document begin, int64, shape (documents + 1,)."""
        ordinals = np.arange(len(self.documents) + 1)
        return np.searchsorted(self.passages[:, 0], ordinals)
