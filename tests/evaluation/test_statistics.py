"""Intervals, tests and power: against known values, and by simulation with fixed seeds."""

from __future__ import annotations

import math

import numpy as np
import pytest

from yonder_lantern.evaluation import paired_difference
from yonder_lantern.evaluation.statistics import (
    Difference,
    detectable_difference,
    holm,
    mean_interval,
    questions_needed,
    wilson_interval,
)


@pytest.mark.parametrize(
    ("successes", "count", "low", "high"),
    [(0, 10, 0.0, 0.2775), (5, 10, 0.2366, 0.7634), (81, 263, 0.2553, 0.3662)],
)
def test_wilson_gives_the_published_values(
    successes: int, count: int, low: float, high: float
) -> None:
    """Newcombe (1998), Two-sided confidence intervals for the single proportion, table I."""
    interval = wilson_interval(successes, count)
    assert (interval.low, interval.high) == (
        pytest.approx(low, abs=5e-5),
        pytest.approx(high, abs=5e-5),
    )


def test_shares_get_wilsons_interval_and_other_values_the_bootstraps() -> None:
    assert mean_interval([1.0] * 20, seed=1).low == pytest.approx(wilson_interval(20, 20).low)
    assert mean_interval([0.5] * 20, seed=1).low == 0.5
    assert math.isnan(mean_interval([], seed=1).mean)


def test_intervals_cover_what_they_say() -> None:
    generator = np.random.default_rng(2)
    inside = 0
    for _ in range(400):
        values = generator.beta(0.6, 0.4, size=100)
        interval = mean_interval(values.tolist(), seed=1, resamples=400)
        inside += interval.low <= 0.6 <= interval.high
    assert 0.92 <= inside / 400 <= 0.98


def test_a_difference_is_found_where_there_is_one_and_not_where_there_is_none() -> None:
    generator = np.random.default_rng(3)
    shown = 0
    for seed in range(200):
        before = (generator.random(60) < 0.5).astype(float).tolist()
        after = (generator.random(60) < 0.5).astype(float).tolist()
        shown += paired_difference(before, after, seed=seed, resamples=100, rounds=400).is_shown
    assert shown <= 18  # of 200 at 5 %
    better = [1.0] * 40 + [0.0] * 20
    assert paired_difference([0.0] * 60, better, seed=1).is_shown
    same = paired_difference(better, better, seed=1)
    assert (same.mean, same.p, same.is_shown) == (0.0, 1.0, False)
    with pytest.raises(ValueError, match="same questions"):
        paired_difference([1.0], [1.0, 0.0], seed=1)


def test_holm_keeps_the_order_and_never_exceeds_one() -> None:
    raw = [0.01, 0.04, 0.03, 0.5, math.nan]
    corrected = [one.p for one in holm([Difference(0, 0, 0, p, 9, 1) for p in raw])]
    # Holm (1979), with five in the family.
    assert corrected[:4] == pytest.approx([0.05, 0.12, 0.12, 1.0])
    assert math.isnan(corrected[4])


def test_what_a_set_can_show_is_shown_four_times_in_five() -> None:
    """Simulated: questions of which some turn right, a few wrong, at the difference promised."""
    generator = np.random.default_rng(5)
    count, shown = 150, 0
    promised = detectable_difference(0.35, count, step=1.0)
    lost = (0.35**2 - promised + promised**2) / 2  # so that the deviation is 0.35
    for seed in range(150):
        draws = generator.random(count)
        gaps = np.where(draws < lost, -1.0, np.where(draws < 2 * lost + promised, 1.0, 0.0))
        found = paired_difference([0.0] * count, gaps.tolist(), seed=seed, resamples=50, rounds=500)
        shown += found.is_shown
    assert 0.68 <= shown / 150 <= 0.92
    assert questions_needed(0.35, promised, step=1.0) == pytest.approx(count, abs=2)
