"""Removes waves and outliers from the readings of the sensor."""

from statistics import median

WINDOW = 720  # readings: three minutes at four a second
FURTHEST = 0.35  # metres from the median, beyond which a reading is thrown away


def without_outliers(readings: list[float]) -> list[float]:
    """The readings that lie near the median of their window.

    A gull on the sensor's bracket gives readings that are two metres off; they
    are thrown away rather than averaged.
    """
    middle = median(readings[-WINDOW:])

    return [one for one in readings if abs(one - middle) <= FURTHEST]


def still_water(readings: list[float]) -> float:
    """The height of the water without its waves: the mean of what is left."""
    kept = without_outliers(readings)
    if len(kept) < WINDOW // 4:
        raise ValueError("too few readings are left: is the sensor dirty?")
    return sum(kept) / len(kept)
