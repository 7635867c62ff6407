"""The student as training begins: the teacher's layers, narrowed without any training.

    python training/reading/prune.py WORK

writes WORK/student.pt. Of the inner numbers of each layer those are kept that are missed least, and
what remains is fitted again by least squares to what the teacher's layer gives on some 50,000
pieces of text, so that it also makes good what the layers before have lost. Six minutes on 2 cores.

References
----------
Hassibi, Stork (1993), Second order derivatives for network pruning: optimal brain surgeon, for
which numbers are missed least.
"""

from __future__ import annotations

import json
import random
import sys
from pathlib import Path

import numpy as np
import torch
from student import (
    LAYERS,
    WIDTH,
    Encoder,
    attention_mask,
    batch,
    teacher,
    teacher_folder,
    tokenizer_in,
)
from torch import Tensor

INNER = (256, 384, 320, 512, 416, 416)  # widths; the third and fourth layer suffer most
_TEXTS, _AT_ONCE, _LONGEST = 1500, 50, 160
_ROWS = 40_000  # pieces that a layer is fitted on
_RIDGE = 1e-3


def samples(groups: list[list[list[str]]]) -> list[str]:
    """Headings, passages, and headings over passages as documents are cut."""
    chance = random.Random(1)
    found = []
    for group in groups:
        passages = [text for kind, text in group if kind == "passage"]
        others = [text for kind, text in group if kind != "passage"]
        drawn = chance.random()
        if drawn < 0.35 and others:
            found.append(others[0] + "\n" + " ".join(passages))
        elif drawn < 0.5 and others:
            found.append(chance.choice(others))
        else:
            found.append(chance.choice(passages))
    return found


def kept_and_fitted(inner: Tensor, wanted: Tensor, width: int) -> tuple[np.ndarray, Tensor]:
    """Which inner numbers are kept, and the weights and the bias that make the wanted of them."""
    size = inner.shape[1]
    with_one = torch.cat([inner, torch.ones(len(inner), 1)], 1)
    products = (with_one.T @ with_one).double()
    products[range(size), range(size)] += _RIDGE * products.diagonal()[:-1].mean()
    targets = (with_one.T @ wanted).double()
    inverse = torch.linalg.inv(products)
    weights, inverse = (inverse @ targets).numpy().copy(), inverse.numpy().copy()
    alive = np.ones(size + 1, dtype=bool)
    while alive[:-1].sum() > width:
        missed = (weights**2).sum(1) / np.diag(inverse)
        missed[~alive] = np.inf
        missed[-1] = np.inf
        least = int(missed.argmin())
        column = inverse[:, least].copy()
        weights -= np.outer(column, weights[least] / column[least])
        inverse -= np.outer(column, column / column[least])
        alive[least] = False
        inverse[least, :] = inverse[:, least] = 0
        inverse[least, least] = 1
        weights[least] = 0
    kept = np.flatnonzero(alive[:-1])
    own = np.append(kept, size)
    return kept, torch.linalg.solve(products[own][:, own], targets[own]).float()


@torch.no_grad()
def main() -> None:
    work = Path(sys.argv[1])
    with (work / "groups.jsonl").open(encoding="utf-8") as file:
        groups = [json.loads(line) for _, line in zip(range(_TEXTS), file, strict=False)]
    tokenizer = tokenizer_in(work / "tokenizer.json")
    texts = [one.ids[:_LONGEST] for one in tokenizer.encode_batch(samples(groups))]
    texts.sort(key=len)
    batches = [batch(texts[at : at + _AT_ONCE]) for at in range(0, len(texts), _AT_ONCE)]
    large = teacher()
    pieces = json.loads((work / "pieces.json").read_text(encoding="utf-8"))
    known = (teacher_folder() / "vocab.txt").read_text(encoding="utf-8").splitlines()
    place = {piece: at for at, piece in enumerate(known)}
    small = Encoder(INNER, len(pieces))
    small.emb.weight.data = large.emb.weight[[place[piece] for piece in pieces]].clone()
    small.pos.data = large.pos.clone()
    small.n0.load_state_dict(large.n0.state_dict())
    masks = [attention_mask(there) for _, there in batches]
    states = [small.begin(own) for own, _ in batches]
    right = [one.clone() for one in states]
    for number in range(LAYERS):
        whole, narrow = large.layers[number], small.layers[number]
        for part in ("qkv", "o", "n1", "n2"):
            getattr(narrow, part).load_state_dict(getattr(whole, part).state_dict())
        inner, wanted, attended = [], [], []
        for at, (_, there) in enumerate(batches):
            reached = whole.attended(right[at], masks[at])
            target = reached + whole.down(whole.inner(reached))
            own = narrow.attended(states[at], masks[at])
            inner.append(whole.inner(own)[there])
            wanted.append((target - own)[there])
            attended.append(own)
            right[at] = whole.n2(target)
        rows = torch.randperm(sum(map(len, inner)))[:_ROWS]
        kept, fitted = kept_and_fitted(
            torch.cat(inner)[rows], torch.cat(wanted)[rows], INNER[number]
        )
        narrow.up.weight.data = whole.up.weight[kept].clone()
        narrow.up.bias.data = whole.up.bias[kept].clone()
        narrow.down.weight.data = fitted[:-1].T.contiguous()
        narrow.down.bias.data = fitted[-1]
        states = [narrow.n2(own + narrow.down(narrow.inner(own))) for own in attended]
        print(f"layer {number}: {len(kept)} of {4 * WIDTH} inner numbers", flush=True)
    torch.save((INNER, small.state_dict()), work / "student.pt")


if __name__ == "__main__":
    main()
