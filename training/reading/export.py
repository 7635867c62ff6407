"""A checkpoint of training → the files of the reading model that ships.

    python training/reading/export.py WORK [FOLDER]

writes pieces, weights and NOTICE beside each other into FOLDER, by default the package's own.
"""

from __future__ import annotations

import json
import shutil
import sys
from pathlib import Path

import numpy as np
import torch

from yonder_lantern.reading.kept_weights import SHIPPED, save_weights

LONGEST = 256  # pieces of a part of a text, the signs for start and end included
_NAMES = {"qkv": "mixed", "o": "projected", "up": "widened", "down": "narrowed"}
_SCALINGS = {"n1": "after_attention", "n2": "after_widening"}


def main() -> None:
    work = Path(sys.argv[1])
    folder = Path(sys.argv[2]) if len(sys.argv) > 2 else SHIPPED
    folder.mkdir(parents=True, exist_ok=True)
    widths, kept = torch.load(work / "student.pt", weights_only=True)[:2]
    state = {name: value.float().numpy() for name, value in kept.items()}
    heads = 12
    # The scale of attention goes into the queries.
    width = state["pos"].shape[1]
    matrices = {"tokens": state["emb.weight"], "positions": state["pos"][:LONGEST]}
    vectors = {"at_input.weight": state["n0.weight"], "at_input.bias": state["n0.bias"]}
    for number in range(len(widths)):
        for own, name in _NAMES.items():
            weight = np.array(state[f"layers.{number}.{own}.weight"])
            bias = np.array(state[f"layers.{number}.{own}.bias"])
            if own == "qkv":
                weight[:width] *= (width // heads) ** -0.5
                bias[:width] *= (width // heads) ** -0.5
            matrices[f"{number}.{name}"] = weight
            vectors[f"{number}.{name}.bias"] = bias
        for own, name in _SCALINGS.items():
            for part in ("weight", "bias"):
                vectors[f"{number}.{name}.{part}"] = state[f"layers.{number}.{own}.{part}"]
    pieces = json.loads((work / "pieces.json").read_text(encoding="utf-8"))
    (folder / "pieces.txt").write_text("\n".join(pieces), encoding="utf-8")
    for name in ("NOTICE", "LICENSE-Apache-2.0"):
        shutil.copy(Path(__file__).with_name(name), folder)
    about = {"heads": heads, "epsilon": 1e-12, "widths": list(widths)}
    print(save_weights(folder, matrices, vectors, about))


if __name__ == "__main__":
    main()
