"""Whether a state finds worse than another on any collection.

A mean over collections hides what one of them loses: each is held by itself. What ships may not
lose: on no collection may the paired 95 % interval of the difference lie wholly below -0.01.
"""

from __future__ import annotations

import math

import numpy as np
from results import Result
from tables import Results, head, row

from yonder_lantern.evaluation.statistics.intervals import bootstrap_mean

MOST_LOST = 0.01


def ndcg(one: Result) -> float:
    """nDCG@10 of a question whose expected span gains once."""
    return 1 / math.log2(one["passage"] + 1) if one["passage"] else 0.0


def print_losses(before: Results, after: Results) -> int:
    """Print nDCG@10 of both states, by collection; 1 if one of them lost, else 0."""
    head("nDCG@10", "before", "after", "difference", "questions")
    lost = 0
    for name, own in after.items():
        known = {one["id"]: ndcg(one) for one in before.get(name, ())}
        pairs = [
            (known[one["id"]], ndcg(one)) for one in own if one["answerable"] and one["id"] in known
        ]
        if not pairs:
            continue
        old, new = np.array(pairs).T
        gain = bootstrap_mean((new - old).tolist(), seed=1, resamples=2000)
        worse = gain.high < -MOST_LOST
        lost |= worse
        row(name, f"{old.mean():.3f}", f"{new.mean():.3f}",
            f"{gain.mean:+.3f} [{gain.low:+.3f}, {gain.high:+.3f}]{' lost' if worse else ''}",
            str(len(pairs)))  # fmt: skip
    return int(lost)
