"""What a method of embedding that works on terms must be able to do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Protocol

from ..storage import Array

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix


class TermEmbedding(Protocol):
    """Vectors from term counts."""

    method: str
    hash: str
    dimensions: int

    def passages(self, counts: csr_matrix, terms: Sequence[str]) -> Array:
        """Unit vectors, float32, shape (passages, dimensions); zeros for unknown terms only."""
        ...

    def question(self, counts: Mapping[str, float]) -> Array:
        """A unit vector, float32, shape (dimensions,), or zeros."""
        ...

    def question_parts(self, counts: Mapping[str, float]) -> dict[str, Array]:
        """What each known term adds to the question's vector; the parts sum to it."""
        ...
