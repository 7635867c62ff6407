"""Latent vectors: a weighted term matrix of the corpus itself and its truncated SVD."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ..storage import Array, TermTable, byte_order, map_array, save_array, sync_folder

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_SPARE = 16  # columns beyond the rank: they make the last ones settle
_ITERATIONS = 5
_KEPT_NUMBERS = 50_000  # term numbers remembered; a bound on memory


class LatentEmbedding:
    """Vectors of terms learned from the passages of a corpus.

    A passage's weight for a term is ``(1 + ln tf) · ln((1 + n) / (1 + df)) + 1``
    scaled to unit length; the truncated singular value decomposition of the
    matrix of these weights gives every term a vector, and a passage or question
    is the weighted sum of its terms' vectors, scaled to unit length.

    References
    ----------
    Deerwester, Dumais, Furnas, Landauer, Harshman (1990), Indexing by latent
    semantic analysis. Halko, Martinsson, Tropp (2011), Finding structure with
    randomness.
    """

    method = "latent"

    def __init__(self, terms: TermTable, weights: Array, vectors: Array, hash_: str) -> None:
        self._terms = terms
        self._weights = weights
        self._vectors = vectors
        self._numbers: dict[str, int] = {}
        self.hash = hash_
        self.dimensions = int(vectors.shape[1])

    @classmethod
    def train(
        cls, counts: csr_matrix, terms: Sequence[str], *, dimensions: int, seed: int
    ) -> LatentEmbedding | None:
        """Learn term vectors from the passages of a corpus.

        Parameters
        ----------
        counts : sparse matrix, shape (passages, terms)
            How often each passage holds each term.
        terms : sequence of str
            The terms of the columns.
        dimensions : int
            At most this many; fewer when the corpus is small.
        seed : int
            For the random start of the decomposition.

        Returns
        -------
        LatentEmbedding or None
            None when there are too few passages or shared terms to learn from.
        """
        document_counts = np.bincount(counts.indices, minlength=counts.shape[1])
        shared = np.flatnonzero(document_counts >= 2)
        ordered = sorted(shared.tolist(), key=lambda column: byte_order(terms[column]))
        if counts.shape[0] < 3 or len(ordered) < 3:
            return None
        kept = counts[:, ordered].tocsr()
        total = counts.shape[0]
        weights = np.log((1 + total) / (1 + document_counts[ordered])) + 1
        matrix = _weighted(kept, weights)
        rank = min(dimensions, *(size - 1 for size in matrix.shape))
        singular, right = _truncated_svd(matrix, rank, seed)
        strong = singular > singular[0] * 1e-6
        vectors = right[strong].T.astype(np.float32)
        table = TermTable.of([terms[column] for column in ordered])
        weights32 = weights.astype(np.float32)
        digest = hashlib.sha256(b"\n".join(byte_order(terms[column]) for column in ordered))
        digest.update(weights32.tobytes())
        digest.update(vectors.tobytes())
        return cls(table, weights32, vectors, digest.hexdigest()[:16])

    def passages(self, counts: csr_matrix, terms: Sequence[str]) -> Array:
        """Unit vectors of passages given as term counts.

        Parameters
        ----------
        counts : sparse matrix, shape (passages, terms)
        terms : sequence of str
            The terms of the columns.

        Returns
        -------
        float32 array, shape (passages, dimensions)
        """
        from scipy.sparse import csr_matrix

        known = {term: number for number, term in enumerate(self._terms.all())}
        columns = np.array([known.get(term, -1) for term in terms], dtype=np.int64)
        here = np.flatnonzero(columns >= 0)
        weighted = _weighted(counts[:, here].tocsr(), self._weights[columns[here]])
        selected = csr_matrix(weighted, dtype=np.float32)
        return _unit(np.asarray(selected @ self._vectors[columns[here]], dtype=np.float32))

    def question(self, counts: Mapping[str, float]) -> Array:
        """The unit vector of a question given as term counts, float32, shape (dimensions,)."""
        total = np.zeros(self.dimensions, dtype=np.float32)
        for part in self.question_parts(counts).values():
            total += part
        return total

    def question_parts(self, counts: Mapping[str, float]) -> dict[str, Array]:
        """What each known term adds to `question`; the parts sum to a unit vector."""
        parts = {}
        for term, count in counts.items():
            number = self._number(term)
            if number >= 0:
                weight = _damped(count) * self._weights[number]
                parts[term] = np.asarray(weight * self._vectors[number], dtype=np.float32)
        if not parts:
            return {}
        length = np.linalg.norm(np.sum(list(parts.values()), axis=0))
        if length < 1e-12:
            return {}
        return {term: part / length for term, part in parts.items()}

    def _number(self, term: str) -> int:
        number = self._numbers.get(term)
        if number is None:
            number = self._terms.find(term)
            if len(self._numbers) < _KEPT_NUMBERS:
                self._numbers[term] = number
        return number

    def save(self, folder: Path) -> None:
        """Write the embedding into a folder named by its hash below ``folder``."""
        target = folder / self.hash
        if target.exists():
            return
        beside = folder / f"{self.hash}.new"
        beside.mkdir(parents=True, exist_ok=True)
        self._terms.save(beside)
        save_array(beside / "weights.npy", self._weights)
        save_array(beside / "vectors.npy", self._vectors)
        beside.rename(target)
        sync_folder(folder)

    @classmethod
    def load(cls, folder: Path) -> LatentEmbedding:
        """Map an embedding from its folder."""
        return cls(
            TermTable.load(folder),
            map_array(folder / "weights.npy"),
            map_array(folder / "vectors.npy"),
            folder.name,
        )


def _damped(count: float) -> float:
    return 1 + float(np.log(count)) if count >= 1 else count


def _weighted(counts: csr_matrix, weights: Array) -> csr_matrix:
    matrix = counts.astype(np.float64)
    matrix.data = (1 + np.log(matrix.data)) * weights[matrix.indices]
    squares = np.add.reduceat(
        np.append(matrix.data**2, 0.0), np.minimum(matrix.indptr[:-1], len(matrix.data))
    )
    filled = np.diff(matrix.indptr) > 0
    scale = np.where(filled, 1 / np.sqrt(np.where(filled, squares, 1.0)), 0.0)
    matrix.data *= np.repeat(scale, np.diff(matrix.indptr))
    return matrix


def _truncated_svd(matrix: csr_matrix, rank: int, seed: int) -> tuple[Array, Array]:
    """The largest singular values and right vectors, by randomised subspace iteration."""
    single = matrix.astype(np.float32)
    back = single.T.tocsr()
    generator = np.random.default_rng(seed)
    width = min(rank + _SPARE, *matrix.shape)
    start = generator.standard_normal((matrix.shape[1], width)).astype(np.float32)
    basis = single @ start
    for _ in range(_ITERATIONS):
        basis = single @ _orthonormal(back @ _orthonormal(basis))
    projected = np.asarray(back @ _orthonormal(basis)).T
    squares, vectors = np.linalg.eigh((projected @ projected.T).astype(np.float64))
    largest = np.argsort(-squares)[:rank]
    singular = np.sqrt(np.maximum(squares[largest], 0.0))
    right = vectors[:, largest].T @ projected
    return singular, right / np.maximum(singular, np.finfo(np.float32).tiny)[:, None]


def _orthonormal(basis: Array) -> Array:
    """Orthonormal columns that span the same space.

    By the Cholesky factor of their products, several times faster than by QR; where
    the columns are too nearly dependent for that, by QR.
    """
    products = (basis.T @ basis).astype(np.float64)
    try:
        factor = np.linalg.cholesky(products)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.qr(basis)[0])
    return np.asarray(basis @ np.linalg.inv(factor).T.astype(np.float32))


def _unit(rows: Array) -> Array:
    lengths = np.linalg.norm(rows, axis=1, keepdims=True)
    return np.asarray(np.divide(rows, lengths, out=np.zeros_like(rows), where=lengths > 1e-12))
