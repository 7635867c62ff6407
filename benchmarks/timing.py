"""The time of one call, over many of them."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Sequence
from typing import Any

WARM = 5


def median_ms(run: Callable[[Any], object], asked: Sequence[Any]) -> float:
    """The median of a call's times in milliseconds, after a few that are not counted."""
    for one in asked[:WARM]:
        run(one)
    times = []
    for one in asked:
        began = time.perf_counter()
        run(one)
        times.append((time.perf_counter() - began) * 1000)
    return statistics.median(times)
