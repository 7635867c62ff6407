"""Figures over several collections, each of which weighs the same."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ...platform.storage import Array
from .intervals import Interval


def bootstrap_over_collections(
    values: Mapping[str, Sequence[float]],
    *,
    seed: int,
    resamples: int = 2000,
    level: float = 0.95,
) -> Interval:
    """The mean of the collections' means, with its percentile bootstrap interval.

    Questions are drawn anew within each collection, so the interval says how the figure
    would vary with other questions about these collections, not with other collections.

    Parameters
    ----------
    values : mapping
        By collection, one value a question; collections without any are left out.
    seed, resamples, level
        As for `bootstrap_mean`.

    References
    ----------
    Efron, Tibshirani (1993), An introduction to the bootstrap, chapter 13.

    Examples
    --------
    >>> own = bootstrap_over_collections({"a": [1, 1, 1, 1], "b": [0, 0]}, seed=1)
    >>> own.mean, own.count
    (0.5, 6)
    """
    parts = [
        np.asarray(collection, dtype=np.float64)
        for collection in values.values()
        if len(collection)
    ]
    if not parts:
        return Interval(float("nan"), float("nan"), float("nan"), 0)
    generator = np.random.default_rng(seed)
    drawn = [
        part[generator.integers(0, len(part), size=(resamples, len(part)))].mean(axis=1)
        for part in parts
    ]
    low, high = np.quantile(np.mean(drawn, axis=0), [(1 - level) / 2, (1 + level) / 2])
    mean = float(np.mean([part.mean() for part in parts]))
    return Interval(mean, float(low), float(high), sum(map(len, parts)))


def paired_randomisation(
    before: Mapping[str, Sequence[float]],
    after: Mapping[str, Sequence[float]],
    *,
    generator: np.random.Generator,
    rounds: int = 10_000,
) -> tuple[float, float]:
    """Whether two states differ over the same questions of the same collections.

    The difference is the mean over collections of the mean difference within each. Under
    the hypothesis that the states do not differ, the two values of a question could as
    well be swapped: the signs of the differences are drawn at random.

    Parameters
    ----------
    before, after : mapping
        By collection, one value a question, in the same order.
    generator : numpy.random.Generator
    rounds : int

    Returns
    -------
    difference : float
        After less before.
    p : float
        Two-sided.

    Raises
    ------
    ValueError
        The collections or their numbers of questions differ.

    References
    ----------
    Smucker, Allan, Carterette (2007), A comparison of statistical significance tests for
    information retrieval evaluation.

    Examples
    --------
    >>> paired_randomisation(
    ...     {"a": [0.0] * 12}, {"a": [1.0] * 12}, generator=np.random.default_rng(1)
    ... )[1] < 0.01
    True
    """
    if {name: len(collection) for name, collection in before.items()} != {
        name: len(collection) for name, collection in after.items()
    }:
        raise ValueError("the two states were not asked the same questions")
    gaps: list[Array] = [
        np.asarray(after[name], dtype=np.float64) - np.asarray(collection, dtype=np.float64)
        for name, collection in before.items()
        if len(collection)
    ]
    if not gaps:
        return float("nan"), float("nan")
    difference = float(np.mean([gap.mean() for gap in gaps]))
    swapped = np.zeros(rounds)
    for gap in gaps:
        differing = gap[gap != 0]  # a sign changes nothing of the others
        signs = generator.integers(0, 2, size=(rounds, len(differing))) * 2 - 1
        swapped += (signs @ differing) / len(gap) / len(gaps)
    as_far = int((np.abs(swapped) >= abs(difference) - 1e-12).sum())
    return difference, (as_far + 1) / (rounds + 1)
