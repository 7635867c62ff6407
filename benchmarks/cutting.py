"""How well cutting by meaning sees where one subject gives way to another.

    python benchmarks/cutting.py COLLECTION ...

Texts are made of the prose of eight documents of a collection each, up to ten sentences of every
one, without headings. Of the seven joins of a text, so many are told that are among its seven
deepest gaps: by the words alone, and with the lexicon's vectors beside them.
"""

from __future__ import annotations

import random
import re
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from yonder_lantern.embedding.lexicon import ShippedWords
from yonder_lantern.evaluation.statistics.intervals import bootstrap_mean
from yonder_lantern.ingest.passages.cohesion import gap_depths
from yonder_lantern.text import sentences

TEXTS, DOCUMENTS = 100, 8
LEAST, MOST = 4, 10  # sentences of a document


def prose(path: Path) -> list[str]:
    """A document's sentences, without its code and short lines."""
    paragraphs = re.split(r"\n\s*\n", path.read_text(encoding="utf-8"))
    kept = [one for one in paragraphs if len(one) > 80 and not one[0].isspace()]
    found = [re.sub(r"\s+", " ", one[a:b]) for one in kept for a, b in sentences(one)]
    return [one for one in found if len(one) > 25]


def told(depths: Sequence[float], joins: Sequence[int]) -> float:
    deepest = np.argsort(-np.array(depths), kind="stable")[: len(joins)]
    return len({*deepest.tolist()} & {*joins}) / len(joins)


def main() -> None:
    vectors = ShippedWords().sums
    print("| joins told | by words alone | with vectors | gained |")
    print("|---|---|---|---|")
    for name in sys.argv[1:]:
        generator = random.Random(7)
        documents = [
            own
            for path in sorted(Path(name, "documents").glob("*.txt"))
            if len(own := prose(path)) >= LEAST
        ]
        bare, with_vectors = [], []
        for _ in range(TEXTS):
            text: list[str] = []
            joins = []
            for own in generator.sample(documents, DOCUMENTS):
                text += own[: generator.randint(LEAST, MOST)]
                joins.append(len(text) - 1)
            bare.append(told(gap_depths(text, "en"), joins[:-1]))
            with_vectors.append(told(gap_depths(text, "en", vectors), joins[:-1]))
        gained = [more - less for more, less in zip(with_vectors, bare, strict=True)]
        cells = [str(bootstrap_mean(one, seed=1)) for one in (bare, with_vectors, gained)]
        print(f"| {Path(name).name} | {' | '.join(cells)} |")


if __name__ == "__main__":
    main()
