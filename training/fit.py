"""Fits the lexicon to the labelled texts and writes it into the package.

    python training/fit.py WORK [TARGET] [SHARDS]

reads ``WORK/texts`` and ``WORK/vectors``, and writes the lexicon into TARGET, by default where the
package looks for it. SHARDS, by default all that are labelled, is for the curve of quality.
"""

from __future__ import annotations

import json
import math
import shutil
import sys
import time
from collections import Counter
from pathlib import Path

import numpy as np
from label import MODEL

from yonder_lantern.embedding import NO_PASSAGES, EmbeddingContext, open_method
from yonder_lantern.embedding.encoder import TOKENIZER, model_folder
from yonder_lantern.embedding.lexicon import INNER, SHIPPED, LexiconTable, Units
from yonder_lantern.embedding.lexicon.fit import fit_sums, refine
from yonder_lantern.platform.storage import TermTable, byte_order
from yonder_lantern.settings import EmbeddingSettings
from yonder_lantern.text import folded_words

MOST_BYTES = 11_700_000
DIMENSIONS = 256
COMMON = 1e-3  # the share of all words at which a word counts half
STRENGTH = 0.1
EPOCHS = 6
RATE = 0.005
RARE = 4  # times a word must stand in the texts
PAIRS = 0
SEED = 20261123


def read(work: Path, shards: int) -> tuple[list[str], np.ndarray]:
    texts: list[str] = []
    vectors = []
    for path in sorted((work / "vectors").glob("[0-9][0-9][0-9].npy"))[:shards]:
        vectors.append(np.load(path))
        with (work / "texts" / f"{path.stem}.jsonl").open(encoding="utf-8") as file:
            texts += [json.loads(line)["text"] for line in file]
    return texts, np.concatenate(vectors)


def vocabulary(counts: Counter[str], model: str, dimensions: int) -> list[str]:
    """The commonest words, the encoder's pieces that cut the others, and single characters."""
    path = model_folder(model, Path.cwd()) / TOKENIZER
    known = json.loads(path.read_text(encoding="utf-8"))["model"]["vocab"]
    pieces = [
        INNER + piece[2:]
        for piece in known
        if piece.startswith("##") and piece[2:].isascii() and piece[2:].isalnum()
    ]
    single = list("abcdefghijklmnopqrstuvwxyz0123456789")
    room = MOST_BYTES // (dimensions + 2 + 8 + 8) - len(pieces) - len(single)
    words = [
        word
        for word, count in counts.most_common()
        if count >= RARE and word.isascii() and len(word) <= 24
    ]
    return sorted({*words[:room], *pieces, *single}, key=byte_order)


def main() -> None:
    work = Path(sys.argv[1])
    target = Path(sys.argv[2]) if len(sys.argv) > 2 else SHIPPED
    shards = int(sys.argv[3]) if len(sys.argv) > 3 else 10**6
    started = time.perf_counter()

    def told(what: str) -> None:
        print(f"{time.perf_counter() - started:6.0f} s  {what}", flush=True)

    texts, labelled = read(work, shards)
    told(f"{len(texts):,} texts")
    counted = Counter(word for text in texts for word in folded_words(text))
    units = vocabulary(counted, MODEL, DIMENSIONS)
    counts = Units(TermTable.of(units), many=True).counts(map(folded_words, texts), len(units))
    told(f"{len(units):,} units, {counts.nnz / len(texts):.1f} of them in a text")

    sample = labelled[:: max(1, len(labelled) // 100_000)].astype(np.float32)
    squares, axes = np.linalg.eigh((sample.T @ sample).astype(np.float64))
    turned = axes[:, np.argsort(-squares)[:DIMENSIONS]].astype(np.float32)
    kept = squares[np.argsort(-squares)[:DIMENSIONS]].sum() / squares.sum()
    wanted = labelled.astype(np.float32) @ turned
    wanted /= np.maximum(np.linalg.norm(wanted, axis=1, keepdims=True), 1e-9)
    told(f"{DIMENSIONS} of {labelled.shape[1]} dimensions hold {kept:.4f} of the squares")

    around = EmbeddingContext(desk=work, state=work)
    settings = EmbeddingSettings(method="encoder", model=MODEL)
    teacher = open_method(settings, around).make(NO_PASSAGES)
    prior = teacher.texts([unit.removeprefix(INNER) for unit in units]) @ turned
    told("each unit alone embedded")

    shares = np.asarray(counts.sum(axis=0)).ravel()
    shares = shares / shares.sum()
    weights = (COMMON / (COMMON + shares)).astype(np.float32)
    weighted = counts.multiply(weights[None, :]).tocsr().astype(np.float32)
    sums = np.asarray(weighted.sum(axis=1)).ravel()
    means = weighted.multiply(1 / np.maximum(sums, 1e-6)[:, None]).tocsr().astype(np.float32)
    fitted = fit_sums(means, wanted, prior, strength=STRENGTH) * weights[:, None]
    told(f"fitted, cosine {cosine(counts, fitted, wanted):.4f}")
    fitted /= np.median(np.linalg.norm(counts[:2000] @ fitted, axis=1))
    fitted = refine(
        fitted,
        counts,
        wanted,
        epochs=EPOCHS,
        rate=RATE,
        seed=SEED,
        told=lambda epoch, loss: told(f"epoch {epoch + 1} of {EPOCHS}: cosine {1 - loss:.4f}"),
    )
    about = {
        "texts": len(texts),
        "dimensions": DIMENSIONS,
        "squares kept": round(float(kept), 4),
        "cosine": round(cosine(counts, fitted, wanted), 4),
    }
    table = LexiconTable.of(units, fitted, about)
    table.save(target)
    shutil.copy(Path(__file__).with_name("NOTICE"), target)
    size = sum(path.stat().st_size for path in target.iterdir())
    told(f"{len(units):,} units, {size / 1e6:.2f} MB, hash {table.hash}")


def cosine(counts, vectors, wanted) -> float:
    step = math.ceil(len(wanted) / 50_000)
    sums = counts[::step] @ vectors
    sums /= np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-9)
    return float((sums * wanted[::step]).sum(axis=1).mean())


if __name__ == "__main__":
    main()
