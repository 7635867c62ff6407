"""The values of tables, as a person reads them."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Any


def cell_words(value: Any) -> str:
    """A cell's value as a person reads it.

    Examples
    --------
    >>> [cell_words(value) for value in (None, 3.0, 2.5, True, "BL-60 ")]
    ['', '3', '2.5', 'yes', 'BL-60']
    """
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.10g}"
    if isinstance(value, datetime):
        return value.isoformat(sep=" ")[:16].removesuffix(" 00:00")
    if isinstance(value, date | time):
        return value.isoformat()
    return str(value).strip()


def cells_of(text: str) -> tuple[str, ...]:
    """The cells of a row of a table as it is written.

    Examples
    --------
    >>> cells_of("| Ice, per tonne | 61.00 |")
    ('Ice, per tonne', '61.00')
    """
    bare = text.strip()
    bare = bare.removeprefix("|").removesuffix("|")
    return tuple(cell.strip() for cell in bare.split("|" if "|" in bare else "\t"))
