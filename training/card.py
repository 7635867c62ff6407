"""Measures the lexicon and writes its card.

    python training/card.py WORK [COLLECTION ...]

A collection is a folder as ``benchmarks/faq_collections.py`` makes them. Figures are nDCG@10 by the
lexicon's vectors alone, with what it learns of a corpus but without the latent vectors beside, on
the questions for fitting: the held ones are for ``benchmarks/retrieval.py``. The lexicon is fitted
again to fewer texts, and cut to fewer dimensions, to see what more of either would bring.
"""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from yonder_lantern.embedding.lexicon import SHIPPED, LexiconTable, Units
from yonder_lantern.embedding.lexicon.own_words import learn
from yonder_lantern.embedding.spherical import unit_rows
from yonder_lantern.text import folded_words

SHARDS = (3, 6)
DIMENSIONS = (64, 128, 192)
WORDS = 110  # of a passage


def ndcg(table: LexiconTable, collection: Path) -> float:
    passages, owners = [], []
    names = sorted(path.name for path in (collection / "documents").iterdir())
    for number, name in enumerate(names):
        words = (collection / "documents" / name).read_text(encoding="utf-8").split()
        for at in range(0, max(1, len(words)), WORDS):
            passages.append(" ".join(words[at : at + WORDS]))
            owners.append(number)
    lines = (collection / "questions.jsonl").read_text(encoding="utf-8").splitlines()
    asked = [own for line in lines if (own := json.loads(line))["split"] == "fit"]
    own = learn(table, map(folded_words, passages))
    units = Units(table.units, own.words, many=True)
    rows = np.concatenate([table.vectors(np.arange(len(table.units))), own.vectors])
    rows *= own.weights[:, None]

    def vectors(texts: Sequence[str]) -> np.ndarray:
        return unit_rows(units.counts(map(folded_words, texts), len(rows)) @ rows)

    scores = vectors([one["text"] for one in asked]) @ vectors(passages).T
    best = np.full((len(asked), len(names)), -1.0, dtype=np.float32)
    np.maximum.at(best.T, owners, scores.T)
    right = np.array([names.index(one["relevant"][0]) for one in asked])
    before = (best > best[np.arange(len(asked)), right][:, None]).sum(axis=1)
    return float(np.where(before < 10, 1 / np.log2(before + 2), 0).mean())


def main() -> None:
    work, collections = Path(sys.argv[1]), [Path(name) for name in sys.argv[2:]]
    table = LexiconTable.load(SHIPPED)
    tables = []
    for shards in SHARDS:
        folder = work / "curve" / str(shards)
        if not (folder / "lexicon.json").exists():
            script = Path(__file__).with_name("fit.py")
            subprocess.run([sys.executable, script, work, folder, str(shards)], check=True)
        tables.append(LexiconTable.load(folder))
    size = sum(path.stat().st_size for path in SHIPPED.iterdir() if path.suffix != ".md")
    lines = [
        "# The lexicon's card",
        "",
        "Vectors of words, fitted so that the weighted sum over a text comes near to what the",
        "encoder all-MiniLM-L6-v2 says of it. For English. Made by `training/make.py`; see NOTICE.",
        "",
        "| what | figure |",
        "|---|---|",
        f"| units | {len(table.units):,} |",
        f"| size | {size / 1e6:.2f} MB |",
        f"| hash | {table.hash} |",
        *(f"| {name} | {value:,} |" for name, value in table.about.items()),
        "",
        "nDCG@10 by its vectors alone, on the questions for fitting:",
        "",
        "| lexicon | " + " | ".join(path.name for path in collections) + " |",
        "|---|" + "---|" * len(collections),
    ]

    def measured(name: str, own: LexiconTable) -> None:
        cells = [f"{ndcg(own, path):.3f}" for path in collections]
        lines.append(f"| {name} | " + " | ".join(cells) + " |")
        print(lines[-1], flush=True)

    for own in tables:
        measured(f"of {own.about['texts']:,} texts", own)
    measured(f"of {table.about['texts']:,} texts: the one that ships", table)
    for dimensions in DIMENSIONS:  # they stand in the order of what they hold
        share = dimensions / table.dimensions
        cut = replace(table, parts=tuple(part[:, :dimensions] for part in table.parts))
        measured(f"cut to {dimensions} dimensions, {share * size / 1e6:.1f} MB", cut)
    (SHIPPED / "CARD.md").write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
