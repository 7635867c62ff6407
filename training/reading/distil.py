"""Trains the student to say of texts what the teacher says of them.

    python training/reading/distil.py WORK MINUTES

goes on with WORK/student.pt, and writes it every 200 steps: what is interrupted goes on from
there. MINUTES are those of the whole training, which the learning rate falls over. What is
learnt from each batch of sections:

- the states of the third and the last layer, piece by piece, where both cut the text alike;
- the vector of each text, and the cosines of all texts of the batch with each other;
- how the teacher ranks the passages of the batch for each heading or question, with a tenth of
  the weight on the passage that does stand below it.

References
----------
Hinton, Vinyals, Dean (2015), Distilling the knowledge in a neural network. Jiao et al. (2020),
TinyBERT, for the states of layers. van den Oord, Li, Vinyals (2018), Representation learning with
contrastive predictive coding, for the passages of a batch as each other's negatives.
"""

from __future__ import annotations

import json
import math
import random
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import torch
from student import Encoder, batch, pooled, teacher, teacher_folder, tokenizer_in
from torch import Tensor, nn
from torch.nn import functional

_RATE = 3e-4
_TEXTS, _LONGEST = 64, 176
_WARM_UP, _KEPT_EVERY, _TOLD_EVERY = 50, 200, 50
_SHARPNESS = 0.05
_TRUE_PAIR = 0.1
_SAME = 0.9  # cosine from which on two headings ask for the same: no negatives of each other
_LAYERS = ((3, 0.5), (6, 1.0))  # whose states are compared, and how much they count

Pair = tuple[str | None, str]


def drawn(groups: list[list[list[str]]], chance: random.Random, count: int) -> list[Pair]:
    """Headings and questions with what stands below them, cut in several ways."""
    found: list[Pair] = []
    while len(found) < count:
        group = chance.choice(groups)
        passages = [text for kind, text in group if kind == "passage"]
        others = [text for kind, text in group if kind != "passage"]
        way = chance.random()
        if not others:
            found.append((None, passages[0] if way < 0.5 else " ".join(passages)))
            continue
        if way < 0.25:
            body = others[0] + "\n" + " ".join(passages)
        elif way < 0.4:
            body = " ".join(passages)
        else:
            body = chance.choice(passages)
        found.append((chance.choice(others), body))
    return found


@dataclass
class Lesson:
    """Both encoders with their tokenizers."""

    large: Encoder
    small: Encoder
    large_pieces: object
    small_pieces: object

    def compared(self, texts: list[str]) -> tuple[Tensor, Tensor, Tensor]:
        """The vectors of both, and what the student has to learn from these texts."""
        a = [one.ids[:_LONGEST] for one in self.large_pieces.encode_batch(texts)]
        b = [one.ids[:_LONGEST] for one in self.small_pieces.encode_batch(texts)]
        with torch.no_grad():
            pieces, there = batch(a)
            right = self.large.states(pieces, there)
            wanted = pooled(right[-1], there)
        own_pieces, own_there = batch(b)
        states = self.small.states(own_pieces, own_there)
        found = pooled(states[-1], own_there)
        lost = 4 * (1 - (wanted * found).sum(1)).mean()
        lost = lost + 20 * (wanted @ wanted.T - found @ found.T).pow(2).mean()
        alike = torch.tensor([len(x) == len(y) for x, y in zip(a, b, strict=True)])
        if alike.any():
            most = min(there.shape[1], own_there.shape[1])
            mask = own_there[alike][:, :most]
            for layer, weight in _LAYERS:
                apart = (right[layer][alike][:, :most] - states[layer][alike][:, :most])[mask]
                lost = lost + weight * apart.pow(2).mean() / right[layer][there].var()
        return wanted, found, lost


def ranked(headings: tuple[Tensor, Tensor], passages: tuple[Tensor, Tensor]) -> Tensor:
    """How far the student's ranking of the batch's passages is from what it should be."""
    own = torch.eye(len(headings[0]))
    same = (passages[0] @ passages[0].T > _SAME) & ~own.bool()
    wanted = (headings[0] @ passages[0].T / _SHARPNESS).masked_fill(same, -1e4)
    found = (headings[1] @ passages[1].T / _SHARPNESS).masked_fill(same, -1e4)
    target = functional.softmax(wanted, 1) * (1 - _TRUE_PAIR) + _TRUE_PAIR * own
    return -(target * functional.log_softmax(found, 1)).sum(1).mean()


def main() -> None:
    work, whole = Path(sys.argv[1]), 60 * float(sys.argv[2])
    with (work / "groups.jsonl").open(encoding="utf-8") as file:
        groups = [json.loads(line) for line in file]
    kept = torch.load(work / "student.pt", weights_only=False)
    widths, state = kept[:2]
    small = Encoder(widths, len(state["emb.weight"]))
    small.load_state_dict(state)
    small.train()
    lesson = Lesson(
        teacher(),
        small,
        tokenizer_in(teacher_folder() / "tokenizer.json"),
        tokenizer_in(work / "tokenizer.json"),
    )
    tables = [small.emb.weight, small.pos]
    rest = [one for name, one in small.named_parameters() if name not in ("emb.weight", "pos")]
    steps = torch.optim.Adam([{"params": rest}, {"params": tables}], lr=_RATE, betas=(0.9, 0.98))
    step, before = 0, 0.0
    if len(kept) > 2:
        steps.load_state_dict(kept[2])
        step, before = kept[3:]
    chance = random.Random(100 + step)
    began = time.monotonic()
    told = 0.0
    waiting: list[list[Pair]] = []
    while (spent := before + time.monotonic() - began) < whole:
        fallen = 0.5 * (1 + math.cos(math.pi * spent / whole)) * 0.97 + 0.03
        for group, share in zip(steps.param_groups, (1.0, 0.5), strict=True):
            group["lr"] = _RATE * share * fallen * min(1, (step + 1) / _WARM_UP)
        if not waiting:
            pool = sorted(drawn(groups, chance, 8 * _TEXTS), key=lambda pair: len(pair[1]))
            waiting = [pool[at : at + _TEXTS] for at in range(0, len(pool), _TEXTS)]
            chance.shuffle(waiting)
        pairs = waiting.pop()
        longest = max(len(pairs[-1][1]), 60)
        pairs = pairs[: max(16, min(_TEXTS, _TEXTS * 300 // longest))]
        with_heading = [at for at, pair in enumerate(pairs) if pair[0]]
        passages = lesson.compared([pair[1] for pair in pairs])
        lost = passages[2]
        if len(with_heading) >= 4:
            headings = lesson.compared([pairs[at][0] or "" for at in with_heading])
            own = (passages[0][with_heading], passages[1][with_heading])
            lost = lost + headings[2] + 0.5 * ranked(headings[:2], own)
        steps.zero_grad(set_to_none=True)
        lost.backward()
        nn.utils.clip_grad_norm_(small.parameters(), 1.0)
        steps.step()
        step += 1
        told += float(lost.detach()) / _TOLD_EVERY
        if step % _TOLD_EVERY == 0:
            print(f"step {step}, {spent / 60:.0f} min: {told:.4f}", flush=True)
            told = 0.0
        if step % _KEPT_EVERY == 0:
            keep(work, widths, small, steps, step, spent)
    keep(work, widths, small, steps, step, spent)


def keep(work: Path, widths, small: Encoder, steps, step: int, spent: float) -> None:
    beside = work / "student.new"
    torch.save((widths, small.state_dict(), steps.state_dict(), step, spent), beside)
    beside.replace(work / "student.pt")


if __name__ == "__main__":
    main()
