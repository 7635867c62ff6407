"""Codes, amounts with their units, and ranges of them."""

from __future__ import annotations

import re

_CODE = re.compile(r"\b(?:[A-Za-z]{1,6}[-/]?\d[\w/-]*|\d+[A-Z])\b")
_AMOUNT = re.compile(
    r"(?<!\d)(\d+(?:[.,]\d+)?)(?:\s*-)?\s*"
    r"(m|metres?|meters?|metern|mètres?|t|tonnes?|tonnen|knots?|knoten|litres?|liter)\b",
    re.I,
)
_MORE_THAN = re.compile(
    r"\b(?:over|above|more than|longer than|deeper than|über|mehr als|länger als|plus de)\s+$", re.I
)
_TRACE = 1e-6
_RANGE = re.compile(
    r"(?:(?:over|über|plus de) (\d+(?:\.\d+)?) ?(\w+)?,? )?(?:up to|bis(?: zu)?|jusqu['’]à) "
    r"(\d+(?:\.\d+)?) ?(\w+)|(?:over|über|plus de) (\d+(?:\.\d+)?) ?(\w+)"
)


def codes_in(text: str) -> frozenset[str]:
    """Codes of letters and figures in a text, folded: ``BL-60``, ``F-17``, ``E14``.

    Examples
    --------
    >>> sorted(codes_in("What is form F-17, and BL-60?"))
    ['bl-60', 'f-17']
    """
    return frozenset(match.group().casefold() for match in _CODE.finditer(text))


def amounts_in(text: str) -> list[tuple[float, str]]:
    """Amounts with the first letter of their unit: ``9 metre`` is ``(9.0, 'm')``.

    One that is said to be over something is a trace more than that.

    Examples
    --------
    >>> in_range(amounts_in("a berth of over 18 m"), "| over 12 m, up to 18 m | 22 |")
    0.0
    """
    found = []
    for match in _AMOUNT.finditer(text):
        trace = _TRACE if _MORE_THAN.search(text[: match.start()]) else 0.0
        found.append((float(match[1].replace(",", ".")) + trace, match[2][0].lower()))
    return found


def amount_words(text: str) -> list[str]:
    """The amounts of a text as written."""
    return [match.group() for match in _AMOUNT.finditer(text)]


def in_range(amounts: list[tuple[float, str]], text: str) -> float:
    """Whether a text's first range ("over 8 m, up to 10 m") holds an amount asked about.

    Returns
    -------
    float
        1 when it does, 0 when it holds none of them, one half when the question
        has no amount or the text no range.

    Examples
    --------
    >>> in_range([(9.0, "m")], "| over 8 m, up to 10 m | 27.00 |")
    1.0
    """
    found = _RANGE.search(text) if amounts else None
    if not found:
        return 0.5
    low, _, high, unit, bare, bare_unit = found.groups()
    least = float(low or bare or 0)
    most = float(high) if high else float("inf")
    letter = (unit or bare_unit or "")[:1].lower()
    same = [amount for amount, amount_unit in amounts if amount_unit == letter]
    if not same:
        return 0.5
    return 1.0 if any(least < amount <= most for amount in same) else 0.0
