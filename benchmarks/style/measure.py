"""How well the likeness of a style is told, on collections left out of the fitting.

    python benchmarks/style/measure.py WORK

WORK holds the collections that `real_documents/make.py` made, and `demo`, a gathered demo. Of each,
half of the documents is the style and the same half of all others what it is told from; pieces of
three sentences of the other halves are judged. The slope and level are fitted on all collections
but one, and read on that one.
"""

from __future__ import annotations

import math
import random
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from yonder_lantern import Desk
from yonder_lantern.answer.style import Style
from yonder_lantern.core import BlockKind
from yonder_lantern.text import sentences

COLLECTIONS = (
    "demo", "putty", "anarchism", "debian-handbook", "django", "python-faq", "privoxy", "man-pages",
)  # fmt: skip
ENOUGH = 300_000  # characters of each
PIECES = 400
SENTENCES = 3


def paragraphs_of(folder: Path) -> list[list[str]]:
    """The paragraphs of each document, in an order that favours none."""
    desk = Desk.open(folder, record=False)
    snapshot = desk.snapshot()
    documents = [document for _, document in snapshot.each(snapshot.live_rows())]
    random.Random(1).shuffle(documents)
    found: list[list[str]] = []
    characters = 0
    for document in documents:
        own = [
            document.text[block.start : block.end]
            for block in document.blocks
            if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        ]
        if characters < ENOUGH and sum(map(len, own)) > 500:
            found.append(own)
            characters += sum(map(len, own))
    return found


def pieces_of(documents: Iterable[Sequence[str]]) -> list[str]:
    found = []
    for paragraphs in documents:
        for text in paragraphs:
            said = [text[start:end] for start, end in sentences(text, 0, len(text))]
            for at in range(0, len(said) - SENTENCES + 1, SENTENCES):
                found.append(" ".join(said[at : at + SENTENCES]))
    return found


def log_odds(likeness: float) -> float:
    return math.log(likeness / (1 - likeness))


def main(work: Path) -> None:
    texts = {name: paragraphs_of(work / name) for name in COLLECTIONS}
    halves = {name: (own[: len(own) // 2], own[len(own) // 2 :]) for name, own in texts.items()}
    scores: dict[str, list[float]] = {}
    labels: dict[str, list[int]] = {}
    for name in COLLECTIONS:
        others = [other for other in COLLECTIONS if other != name]
        style = Style(
            [text for own in halves[name][0] for text in own],
            [text for other in others for own in halves[other][0] for text in own],
        )
        mine = pieces_of(halves[name][1])[:PIECES]
        theirs = pieces_of(own for other in others for own in halves[other][1])
        theirs = random.Random(2).sample(theirs, min(PIECES, len(theirs)))
        likeness = [style.likeness(piece) for piece in (*mine, *theirs)]
        scores[name] = [log_odds(min(max(one, 1e-9), 1 - 1e-9)) for one in likeness]
        labels[name] = [1] * len(mine) + [0] * len(theirs)
        same, other = np.array(likeness[: len(mine)]), np.array(likeness[len(mine) :])
        right = np.concatenate([same > 0.5, other <= 0.5])
        print(
            f"{name:16} {len(mine)} and {len(theirs)} pieces: area under the curve "
            f"{roc_auc_score(labels[name], scores[name]):.3f}, told rightly {right.mean():.0%}, "
            f"mean likeness {same.mean():.2f} and {other.mean():.2f}"
        )
    print("\nslope and level on top of those in use (1 and 0: they hold), fitted without …")
    for left_out in COLLECTIONS:
        kept = [name for name in COLLECTIONS if name != left_out]
        values = np.concatenate([scores[name] for name in kept])[:, None]
        truth = np.concatenate([labels[name] for name in kept])
        fitted = LogisticRegression(class_weight="balanced").fit(values, truth)
        print(f"  {left_out:16} {fitted.coef_[0][0]:.2f} {fitted.intercept_[0]:+.2f}")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
