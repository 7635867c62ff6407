"""Which of several choices no other beats in quality and in price at once."""

from __future__ import annotations

from collections.abc import Sequence


def pareto_optimal(points: Sequence[tuple[float, float]]) -> list[bool]:
    """Tell which points are Pareto-optimal.

    Parameters
    ----------
    points : sequence of (quality, price)
        More quality is better, and a lower price.

    Examples
    --------
    >>> pareto_optimal([(0.5, 10.0), (0.6, 20.0), (0.4, 15.0)])
    [True, True, False]
    """
    return [
        not any(
            other >= quality and less <= price and (other > quality or less < price)
            for other, less in points
        )
        for quality, price in points
    ]
