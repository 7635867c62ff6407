"""Measures beside scikit-learn's, and whether tests and intervals keep what they promise.

    python benchmarks/laboratory/measures_and_tests.py DESK [DESK ...]

The desks are graded, each with its own question set; the values of their questions are the
populations that are drawn from, so that ties and skew are those of real results. The largest
difference from scikit-learn over 1,000 random rankings; the share of 10,000 trials in which two
states that do not differ are said to differ at 0.05; the share of intervals that hold the mean of
the population they were drawn from; whether what a set can show is shown four times in five.
"""

from __future__ import annotations

import sys

import numpy as np
from sklearn.metrics import average_precision_score, ndcg_score

from yonder_lantern import Desk
from yonder_lantern.evaluation import Ranked, judge_ranking, paired_difference
from yonder_lantern.evaluation.questions import Span
from yonder_lantern.evaluation.statistics import detectable_difference, mean_interval

MEASURES = ("recall@5", "mrr", "ndcg@10", "characters@1000", "right", "answered wrongly")
TRIALS = 10_000


def beside_scikit_learn(rankings: int = 1000) -> float:
    """The largest difference of nDCG at several depths and of average precision."""
    generator = np.random.default_rng(7)
    largest = 0.0
    for _ in range(rankings):
        size = int(generator.integers(2, 80))
        grades = generator.integers(0, 4, size=size) * (generator.random(size) < 0.3)
        grades[int(generator.integers(size))] = 1
        order = generator.permutation(size)
        found = [Ranked(f"d{number}", 0, 10) for number in order]
        groups = [[Span(f"d{at}", 0, 10, int(grade))] for at, grade in enumerate(grades) if grade]
        judged = judge_ranking(found, groups)
        scores = np.zeros(size)
        scores[order] = np.arange(size, 0, -1)
        pairs = [(judged.value("map"), average_precision_score(grades > 0, scores))]
        pairs += [
            (judged.value(f"ndcg@{depth}"), ndcg_score([grades], [scores], k=depth))
            for depth in (1, 3, 5, 10, 20)
        ]
        largest = max(largest, *(abs(own - other) for own, other in pairs))
    return largest


def false_positives(values: np.ndarray, count: int, generator: np.random.Generator) -> float:
    """How often two states are said to differ that are each question's values, shuffled.

    Each question has one value in either state, as after a change that does nothing but move a
    few answers: with a chance of a third the value of another question.
    """
    shown = 0
    for trial in range(TRIALS // len(MEASURES)):
        before = values[generator.integers(0, len(values), size=count)]
        other = values[generator.integers(0, len(values), size=count)]
        after = np.where(generator.random(count) < 1 / 3, other, before)
        swap = generator.random(count) < 0.5
        first, second = np.where(swap, after, before), np.where(swap, before, after)
        found = paired_difference(
            first.tolist(), second.tolist(), seed=trial, resamples=50, rounds=1000
        )
        shown += found.is_shown
    return shown / (TRIALS // len(MEASURES))


def coverage(values: np.ndarray, count: int, generator: np.random.Generator) -> float:
    """How often an interval of questions drawn from a population holds its mean."""
    inside, trials = 0, 2000
    mean = float(values.mean())
    for trial in range(trials):
        drawn = values[generator.integers(0, len(values), size=count)]
        interval = mean_interval(drawn.tolist(), seed=trial, resamples=1000)
        inside += interval.low <= mean <= interval.high
    return inside / trials


def power(count: int, deviation: float, generator: np.random.Generator) -> tuple[float, float]:
    """A difference that a set is said to show four times in five, and how often it does."""
    promised = detectable_difference(deviation, count, step=1.0)
    lost = max(0.0, (deviation**2 - promised + promised**2) / 2)
    shown, trials = 0, 1000
    for trial in range(trials):
        draws = generator.random(count)
        gaps = np.where(draws < lost, -1.0, np.where(draws < 2 * lost + promised, 1.0, 0.0))
        found = paired_difference(
            [0.0] * count, gaps.tolist(), seed=trial, resamples=50, rounds=1000
        )
        shown += found.is_shown
    return promised, shown / trials


def main() -> None:
    print(f"largest difference from scikit-learn, 1,000 rankings: {beside_scikit_learn():.1e}")
    generator = np.random.default_rng(11)
    pooled: dict[str, list[float]] = {name: [] for name in MEASURES}
    for folder in sys.argv[1:]:
        grades = Desk.open(folder, record=False).grade()
        for name in MEASURES:
            pooled[name] += grades.values(name).values()
    print("| measure | said to differ, n = 100 | interval holds the mean, n = 100 | 200 | 400 |")
    print("|---|---|---|---|---|")
    shares = []
    for name in MEASURES:
        values = np.array(pooled[name])
        shares.append(false_positives(values, 100, generator))
        held = " | ".join(f"{coverage(values, count, generator):.3f}" for count in (100, 200, 400))
        print(f"| {name}, mean {values.mean():.2f} | {shares[-1]:.4f} | {held} |", flush=True)
    print(f"said to differ, all {TRIALS:,} trials: {np.mean(shares):.4f}")
    for count, deviation in ((80, 0.2), (150, 0.35), (300, 0.5)):
        promised, shown = power(count, deviation, generator)
        print(f"{count} questions, deviation {deviation}: {promised:.3f} shown in {shown:.3f}")


if __name__ == "__main__":
    main()
