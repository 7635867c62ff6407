"""Latent vectors against an independent computation."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.linalg import svds

from yonder_lantern.embedding import LatentEmbedding


def corpus(passages: int, terms: int, seed: int) -> csr_matrix:
    """Counts with a handful of topics in them, so that there is something to find."""
    generator = np.random.default_rng(seed)
    topics = generator.dirichlet(np.full(terms, 0.05), size=12)
    mixture = generator.dirichlet(np.full(12, 0.2), size=passages)
    return csr_matrix(generator.poisson(40 * mixture @ topics).astype(np.float64))


def test_vectors_span_what_an_exact_decomposition_does() -> None:
    counts = corpus(300, 200, seed=2)
    names = [f"t{number:03d}" for number in range(200)]
    embedding = LatentEmbedding.train(counts, names, dimensions=8, seed=1)
    assert embedding is not None
    assert embedding.dimensions == 8
    document_counts = np.bincount(counts.indices, minlength=200)
    weights = np.log(301 / (1 + document_counts)) + 1
    dense = counts.toarray()
    dense[dense > 0] = 1 + np.log(dense[dense > 0])
    dense *= weights
    dense /= np.maximum(np.linalg.norm(dense, axis=1, keepdims=True), 1e-12)
    kept = document_counts >= 2
    dense[:, ~kept] = 0
    dense /= np.maximum(np.linalg.norm(dense, axis=1, keepdims=True), 1e-12)
    _, _, right = svds(dense, k=8)
    exact = dense @ right.T
    exact /= np.maximum(np.linalg.norm(exact, axis=1, keepdims=True), 1e-12)
    own = embedding.passages(counts, names)
    assert np.abs(own @ own.T - exact @ exact.T).max() < 0.02


def test_a_question_is_embedded_as_a_passage_of_its_words_and_its_parts_sum_up() -> None:
    counts = corpus(200, 120, seed=3)
    names = [f"t{number:03d}" for number in range(120)]
    embedding = LatentEmbedding.train(counts, names, dimensions=6, seed=1)
    assert embedding is not None
    row = counts[7]
    asked = {names[at]: float(n) for at, n in zip(row.indices, row.data, strict=True)}
    vector = embedding.question(asked)
    assert np.allclose(vector, embedding.passages(row, names)[0], atol=1e-5)
    assert np.allclose(sum(embedding.question_parts(asked).values()), vector, atol=1e-6)
    assert not embedding.question({"unknown": 1.0}).any()


def test_too_little_text_gives_no_vectors() -> None:
    assert LatentEmbedding.train(csr_matrix((2, 3)), ["a", "b", "c"], dimensions=4, seed=1) is None
