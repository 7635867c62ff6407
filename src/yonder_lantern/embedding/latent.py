"""Latent vectors: a weighted term matrix of the corpus itself and its truncated SVD."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..platform.storage import (
    Array,
    StoredArray,
    TermTable,
    byte_order,
    checked_array,
    save_array,
    whole_folder,
)
from ..settings import EmbeddingSettings
from .method import EmbeddingContext, PassageSet
from .spherical import unit_rows, weighted_sums

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_SPARE = 16  # columns beyond the rank: they make the last ones settle
_ITERATIONS = 5
_KEPT_TERMS = 10_000  # whose vectors are remembered; a bound on memory
_GRAM = 4  # characters of a piece of a word
_SEED = 1


class LatentMethod:
    """The method ``latent``: vectors learned from the passages themselves."""

    learns = True
    longest = 0
    languages = ()
    lexical_weight = 0.7
    other_lexical_weight = 0.7

    def __init__(self, settings: EmbeddingSettings, context: EmbeddingContext) -> None:  # noqa: ARG002
        self._dimensions = settings.dimensions
        self.spec: dict[str, Any] = {
            "method": "latent",
            "dimensions": settings.dimensions,
            "learn_from": settings.learn_from,
        }

    def make(self, passages: PassageSet) -> LatentEmbedding | None:
        """Learn from these passages; None if there are too few."""
        counts, terms = passages.counts()
        return LatentEmbedding.train(counts, terms, dimensions=self._dimensions)

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> LatentEmbedding:  # noqa: ARG004
        """Map an embedding that was learned before."""
        return LatentEmbedding.load(folder)


class LatentEmbedding:
    """Vectors of terms learned from the passages of a corpus.

    A passage's weight for a term is ``(1 + ln tf) · ln((1 + n) / (1 + df)) + 1``
    scaled to unit length; the truncated singular value decomposition of the
    matrix of these weights gives every term a vector, and a passage or question
    is the weighted sum of its terms' vectors, scaled to unit length. A term that
    was not learned gets the mean of the vectors of its runs of four characters,
    each of which is the mean over the terms that hold it.

    Attributes
    ----------
    captured : float
        How much of the weight of the passages it was learned from lies in the
        space it spans, 0 to 1: the mean length of what is left of a unit vector.

    References
    ----------
    Deerwester, Dumais, Furnas, Landauer, Harshman (1990), Indexing by latent
    semantic analysis. Halko, Martinsson, Tropp (2011), Finding structure with
    randomness. Bojanowski, Grave, Joulin, Mikolov (2017), Enriching word vectors
    with subword information.
    """

    method = "latent"
    reads_terms = True

    def __init__(
        self,
        terms: TermTable,
        weights: Array,
        vectors: StoredArray,
        grams: TermTable,
        gram_vectors: StoredArray,
        captured: Array,
        hash_: str,
    ) -> None:
        self._terms = terms
        self._weights = weights
        self._vectors = vectors
        self._grams = grams
        self._gram_vectors = gram_vectors
        self._captured = captured
        self._known: dict[str, Array | None] = {}
        self.captured = float(captured[0])
        self.hash = hash_
        self.dimensions = int(vectors.shape[1])

    @classmethod
    def train(
        cls, counts: csr_matrix, terms: Sequence[str], *, dimensions: int, seed: int = _SEED
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
        seed : int, default 1
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
        names = [terms[column] for column in ordered]
        weights32 = weights.astype(np.float32)
        digest = hashlib.sha256(b"\n".join(map(byte_order, names)))
        digest.update(weights32.tobytes())
        digest.update(vectors.tobytes())
        fitted = (
            TermTable.of(names),
            weights32,
            vectors,
            *_gram_vectors(names, weights32, vectors),
        )
        embedding = cls(*fitted, np.ones(1, np.float32), digest.hexdigest()[:16])
        embedding.captured = embedding._captured_of(counts, terms)
        embedding._captured = np.array([embedding.captured], dtype=np.float32)
        return embedding

    def passages(self, passages: PassageSet) -> Array:
        """Unit vectors of passages, by their terms; float32, shape (passages, dimensions)."""
        return unit_rows(self._projected(*passages.counts())[0])

    def captures(self, passages: PassageSet) -> float:
        """How much of the weight of passages lies in the space of the vectors, 0 to 1."""
        return self._captured_of(*passages.counts())

    def _captured_of(self, counts: csr_matrix, terms: Sequence[str]) -> float:
        projected, lengths = self._projected(counts, terms)
        filled = lengths > 0
        if not filled.any():
            return 0.0
        return float(np.mean(np.linalg.norm(projected[filled], axis=1) / lengths[filled]))

    def _projected(self, counts: csr_matrix, terms: Sequence[str]) -> tuple[Array, Array]:
        """The sums of the terms' vectors, and the lengths of the weights of all terms."""
        from scipy.sparse import csr_matrix

        known = {term: number for number, term in enumerate(self._terms.all())}
        columns = np.array([known.get(term, -1) for term in terms], dtype=np.int64)
        rarest = float(self._weights.max(initial=1.0))
        weights = np.where(columns >= 0, self._weights[columns], rarest)
        matrix = csr_matrix(_damped_weights(counts, weights), dtype=np.float32)
        squares = np.bincount(
            np.repeat(np.arange(matrix.shape[0]), np.diff(matrix.indptr)),
            weights=matrix.data.astype(np.float64) ** 2,
            minlength=matrix.shape[0],
        )
        here = np.flatnonzero(columns >= 0)
        projected = matrix[:, here] @ self._vectors[columns[here]]
        return np.asarray(projected, dtype=np.float32), np.sqrt(squares)

    def question(self, text: str, terms: Mapping[str, float]) -> Array:
        """The unit vector of a question by its terms, float32, shape (dimensions,)."""
        return np.asarray(self.questions([text], [terms])[0])

    def questions(
        self,
        texts: Sequence[str],  # noqa: ARG002
        terms: Sequence[Mapping[str, float]],
    ) -> Array:
        """The unit vectors of many questions, float32, shape (questions, dimensions)."""
        return unit_rows(weighted_sums(terms, self._weighted_vector, _damped, self.dimensions))

    def parts(self, text: str, terms: Mapping[str, float]) -> dict[str, Array]:  # noqa: ARG002
        """What each known term adds to a vector; the parts sum to a unit vector."""
        parts = {}
        for term, count in terms.items():
            vector = self._weighted_vector(term)
            if vector is not None:
                parts[term] = np.float32(_damped(count)) * vector
        if not parts:
            return {}
        length = np.linalg.norm(np.sum(list(parts.values()), axis=0))
        if length < 1e-12:
            return {}
        return {term: part / length for term, part in parts.items()}

    def _weighted_vector(self, term: str) -> Array | None:
        """A term's vector times its weight; None if nothing is known of it."""
        if term in self._known:
            return self._known[term]
        number = self._terms.find(term)
        if number >= 0:
            weighted = self._weights[number] * np.asarray(self._vectors[number])
            found: Array | None = np.asarray(weighted, dtype=np.float32)
        else:
            found = self._guessed(term)
        if len(self._known) < _KEPT_TERMS:
            self._known[term] = found
        return found

    def _guessed(self, term: str) -> Array | None:
        """A weighted vector for a term that was not learned, by its runs of characters."""
        found = [number for gram in _grams(term) if (number := self._grams.find(gram)) >= 0]
        if not found or any(map(str.isdigit, term)):  # one code says nothing of another
            return None
        return np.asarray(self._gram_vectors[found].mean(axis=0))

    def save(self, folder: Path) -> None:
        """Write the embedding into a folder named by its hash below ``folder``."""
        if not (folder / self.hash).exists():
            with whole_folder(folder / self.hash) as beside:
                self.write(beside)

    def write(self, folder: Path) -> None:
        """Write its files into a folder that is there."""
        self._terms.save(folder)
        self._grams.save(folder, "grams")
        save_array(folder / "weights.npy", self._weights)
        save_array(folder / "vectors.npy", np.asarray(self._vectors))
        save_array(folder / "gram_vectors.npy", np.asarray(self._gram_vectors))
        save_array(folder / "captured.npy", self._captured)

    @classmethod
    def load(cls, folder: Path) -> LatentEmbedding:
        """Map an embedding from its folder."""
        return cls(
            TermTable.load(folder),
            checked_array(folder / "weights.npy").whole(),
            checked_array(folder / "vectors.npy"),
            TermTable.load(folder, "grams"),
            checked_array(folder / "gram_vectors.npy"),
            checked_array(folder / "captured.npy").whole(),
            folder.name,
        )


def _grams(term: str) -> list[str]:
    """The runs of characters of a word, its ends marked; none of a short one."""
    marked = f"<{term}>"
    if len(marked) <= _GRAM + 1:
        return []
    return sorted({marked[at : at + _GRAM] for at in range(len(marked) - _GRAM + 1)})


def _gram_vectors(terms: Sequence[str], weights: Array, vectors: Array) -> tuple[TermTable, Array]:
    """For each run of characters in several terms, the mean of their weighted vectors."""
    from scipy.sparse import csr_matrix

    numbers: dict[str, int] = {}
    rows: list[int] = []
    columns: list[int] = []
    for number, term in enumerate(terms):
        if not any(map(str.isdigit, term)):
            for gram in _grams(term):
                rows.append(numbers.setdefault(gram, len(numbers)))
                columns.append(number)
    shape = (len(numbers), len(terms))
    holds = csr_matrix((np.ones(len(rows), np.float32), (rows, columns)), shape=shape)
    times = np.diff(holds.indptr)
    ordered = sorted(
        (gram for gram, number in numbers.items() if times[number] >= 2), key=byte_order
    )
    chosen = np.array([numbers[gram] for gram in ordered], dtype=np.int64)
    sums = holds[chosen] @ (vectors * weights[:, None])
    means = np.asarray(sums, dtype=np.float32) / times[chosen][:, None].astype(np.float32)
    return TermTable.of(ordered), means.reshape(len(ordered), vectors.shape[1])


def _damped(counts: Array | float) -> Array:
    """A term that stands in a text often counts more, but not as often as it stands there."""
    return np.where(np.greater_equal(counts, 1), 1 + np.log(np.maximum(counts, 1)), counts)


def _damped_weights(counts: csr_matrix, weights: Array) -> csr_matrix:
    matrix = counts.astype(np.float64)
    matrix.data = (1 + np.log(matrix.data)) * weights[matrix.indices]
    return matrix


def _weighted(counts: csr_matrix, weights: Array) -> csr_matrix:
    matrix = _damped_weights(counts, weights)
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
