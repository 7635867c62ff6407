"""What one caller may see of a generation: the first step, before anything is counted."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..core import Caller
from ..index import IndexReader
from ..platform.storage import Array


@dataclass(frozen=True, slots=True)
class Visible:
    """What a caller may see.

    Attributes
    ----------
    caller : Caller
    moment : int
        What counts as now, in microseconds since 1970.
    documents : bool array, shape (documents,)
    passages : bool array, shape (passages,)
    """

    caller: Caller
    moment: int
    documents: Array
    passages: Array

    @property
    def count(self) -> int:
        """How many documents these are."""
        return int(np.count_nonzero(self.documents))


def visible_in(snapshot: IndexReader, caller: Caller) -> Visible:
    """What a caller may see in a generation."""
    moment = caller.at()
    documents = snapshot.visible_documents(caller, moment)
    return Visible(caller, moment, documents, snapshot.passages_of(documents))
