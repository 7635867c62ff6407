"""The lexicon's own speed and size: loading it, embedding passages, and questions.

    python benchmarks/lexicon.py PASSAGES.TXT

Passages are made 150 words long. The latent vectors beside the lexicon are learned from 5,000 of
them; memory is what the process takes more than before.
"""

from __future__ import annotations

import resource
import sys
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from scipy.sparse import csr_matrix
from timing import median_ms

from yonder_lantern.embedding import Span
from yonder_lantern.embedding.lexicon import SHIPPED, LexiconEmbedding, LexiconTable
from yonder_lantern.find import analyser

WORDS = 150
LEARNED = 5_000
COUNT = 20_000
BEST_OF = 3


class Texts:
    """Passages in memory, in the forms that a method asks for."""

    def __init__(self, texts: Sequence[str]) -> None:
        self._texts = texts
        numbers: dict[str, int] = {}
        columns, ends = [], [0]
        for text in texts:
            terms = analyser("en").terms(text)
            columns += [numbers.setdefault(term, len(numbers)) for term in terms]
            ends.append(len(columns))
        own = (np.ones(len(columns)), columns, ends)
        self._counts = csr_matrix(own, shape=(len(texts), len(numbers)))
        self._counts.sum_duplicates()
        self._terms = list(numbers)

    def __len__(self) -> int:
        return len(self._texts)

    def counts(self) -> tuple[csr_matrix, Sequence[str]]:
        return self._counts, self._terms

    def texts(self) -> Iterator[str]:
        return iter(self._texts)

    def spans(self) -> Iterator[Span]:
        raise NotImplementedError


def memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    with Path(sys.argv[1]).open(encoding="utf-8") as file:
        lines = [line for line, _ in zip(file, range(120_000), strict=False)]
    words = [word for line in lines for word in line.split()]
    texts = [" ".join(words[at : at + WORDS]) for at in range(0, len(words) - WORDS, WORDS)][:COUNT]
    size = sum(path.stat().st_size for path in SHIPPED.iterdir())
    print(f"the lexicon's files: {size / 1e6:.2f} MB")
    loads = []
    for _ in range(BEST_OF):
        began = time.perf_counter()
        table = LexiconTable.load(SHIPPED)
        loads.append((time.perf_counter() - began) * 1000)
    print(f"loading it: {min(loads):.1f} ms, {len(table.units):,} units")
    learned = Texts(texts[:LEARNED])
    many = Texts(texts)
    before = memory()
    began = time.perf_counter()
    embedding = LexiconEmbedding.learned(table, learned, 256)
    print(f"learning from {LEARNED:,} passages: {time.perf_counter() - began:.1f} s")
    rates = []
    for _ in range(BEST_OF):
        began = time.perf_counter()
        embedding.passages(many)
        rates.append(len(many) / (time.perf_counter() - began))
    print(f"embedding: {max(rates):,.0f} passages of {WORDS} words a second, one process")
    print(f"memory for both: {memory() - before:.0f} MB")
    asked = [" ".join(words[at : at + 8]) for at in range(0, 4000, 8)]
    took = median_ms(lambda text: embedding.question(text, {}), asked)
    print(f"a question of 8 words: {took:.2f} ms")


if __name__ == "__main__":
    main()
