"""Speed, memory and recall of finding the nearest of many vectors.

    python benchmarks/vectors.py PASSAGES.TXT [COUNT]

The passages are embedded with the method `latent` (256 dimensions, learned from 100,000 of them).
Then one query at a time: the bare matrix product, the exact scan, the smaller forms and the
approximate index, each without and with filters. Ratios are of medians in the same run.
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from sklearn.feature_extraction.text import CountVectorizer
from timing import median_ms

from yonder_lantern.embedding.latent import LatentEmbedding
from yonder_lantern.index.passage_vectors import load_vectors, save_vectors

DIMENSIONS = 256
LEARNED_FROM = 100_000
QUERIES = 60


def embedded(path: Path, count: int) -> np.ndarray:
    """The vectors of the passages; kept beside them for the next run."""
    kept = path.with_name(f"vectors-{count}-{DIMENSIONS}.npy")
    if kept.exists():
        return np.load(kept)
    with path.open(encoding="utf-8") as file:
        texts = [line for line, _ in zip(file, range(count), strict=False)]
    counts = CountVectorizer(min_df=3, max_features=200_000, stop_words="english")
    table = counts.fit_transform(texts).astype(np.float64)
    terms = counts.get_feature_names_out().tolist()
    learned = LatentEmbedding.train(
        table[:LEARNED_FROM].tocsr(), terms, dimensions=DIMENSIONS, seed=1
    )
    assert learned is not None
    vectors = np.zeros((len(texts), learned.dimensions), dtype=np.float32)
    for at in range(0, len(texts), 50_000):
        vectors[at : at + 50_000] = learned.passages(_Counts(table[at : at + 50_000], terms))
    np.save(kept, vectors)
    return vectors


class _Counts:
    def __init__(self, table, terms) -> None:
        self._table, self._terms = table, terms

    def counts(self):
        return self._table.tocsr(), self._terms


def main() -> None:
    path = Path(sys.argv[1])
    vectors = embedded(path, int(sys.argv[2]) if len(sys.argv) > 2 else 1_000_000)
    vectors = vectors[vectors.any(axis=1)]
    generator = np.random.default_rng(7)
    # Questions are the vectors of real passages that are taken out of the index.
    taken = np.sort(generator.choice(len(vectors), QUERIES, replace=False))
    queries = vectors[taken]
    vectors = np.ascontiguousarray(np.delete(vectors, taken, axis=0))
    size = vectors.nbytes / 1e6
    print(f"{len(vectors):,} vectors of {vectors.shape[1]} dimensions, {size:.0f} MB")
    bare = median_ms(lambda query: vectors @ query, queries)
    print(f"bare matrix product: {bare:.1f} ms")
    exact = [np.sort(np.argpartition(vectors @ query, -10)[-10:]) for query in queries]
    with tempfile.TemporaryDirectory() as made:
        for form, approximate in (("float32", 0), ("float16", 0), ("int8", 0), ("float32", 1)):
            target = Path(made) / f"{form}-{approximate}"
            began = time.perf_counter()
            save_vectors(target, vectors, form, approximate)
            built = time.perf_counter() - began
            held = load_vectors(target)

            def ten(query: np.ndarray, allowed: np.ndarray | None = None, held=held) -> np.ndarray:
                found = held.best(query, 10, allowed)
                return found[np.argsort(-held.scores(query, found), kind="stable")[:10]]

            took = median_ms(ten, queries)
            found = [ten(query) for query in queries]
            recall = np.mean(
                [len(np.intersect1d(a, b)) / 10 for a, b in zip(found, exact, strict=True)]
            )
            name = f"{form}, approximate" if approximate else form
            print(f"{name}: {took:.2f} ms, {took / bare:.2f} × the product, recall@10 {recall:.3f}")
            print(f"  written in {built:.0f} s")
            if held.clusters:
                told = held.clusters
                print(
                    f"  {len(told.centres):,} clusters, {told.probed} looked into, recall measured "
                    f"at build {told.recall:.3f}; {bare / took:.0f} times faster than the product"
                )
            for share in (0.01, 0.5, 0.99):
                allowed = generator.random(len(vectors)) < share
                filtered = median_ms(lambda query, a=allowed: ten(query, a), queries)
                print(f"  filter {share:.0%}: {filtered:.2f} ms, {filtered / took:.2f} ×")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"peak memory {peak:.0f} MB")


if __name__ == "__main__":
    main()
