"""Who may see what: the one predicate for documents, words, traces and conversations."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

OPEN_START, OPEN_END = -(2**63), 2**63 - 1  # a validity without a start or an end


def microseconds(moment: datetime | None, default: int) -> int:
    """A moment as whole microseconds since 1970 in UTC; ``default`` where there is none."""
    if moment is None:
        return default
    return round(moment.astimezone(UTC).timestamp() * 1_000_000)


@dataclass(frozen=True, slots=True)
class Caller:
    """Who asks, and for when.

    Attributes
    ----------
    labels : frozenset of str or None
        The audiences that the caller belongs to; None is the owner, who sees everything.
    as_of : datetime or None
        Only what was valid then; now without.

    Examples
    --------
    >>> guest = Caller(frozenset(["public"]))
    >>> guest.sees(["public", "crew"]), guest.sees(["crew"]), Caller().sees([])
    (True, False, True)
    """

    labels: frozenset[str] | None = None
    as_of: datetime | None = None

    @property
    def is_owner(self) -> bool:
        """Whether the caller sees everything that there is now."""
        return self.labels is None

    def at(self) -> int:
        """The moment asked for, or now, in microseconds since 1970."""
        return microseconds(self.as_of or datetime.now(UTC), 0)

    def sees(self, labels: Collection[str]) -> bool:
        """Whether the caller may see what carries one of some labels."""
        return self.labels is None or not self.labels.isdisjoint(labels)

    def sees_all_of(self, other: Collection[str] | None) -> bool:
        """Whether the caller sees at least what another one does: for what was told to that one.

        Examples
        --------
        >>> Caller(frozenset(["crew", "public"])).sees_all_of(["public"])
        True
        >>> Caller(frozenset(["public"])).sees_all_of(None)
        False
        """
        return self.labels is None or (other is not None and self.labels >= frozenset(other))

    def of(self, labels: Collection[str]) -> frozenset[str]:
        """Which of some labels the caller may know of: their own."""
        return frozenset(labels) if self.labels is None else self.labels.intersection(labels)


def visible(seen: Any, start: Any, end: Any, moment: int) -> Any:
    """Whether what a caller sees by its labels is valid at a moment.

    One rule for a single document and for arrays of them, value by value.

    Parameters
    ----------
    seen : bool or bool array
        What `Caller.sees` says of the labels.
    start, end : int or int64 array
        Validity, half-open, in microseconds since 1970.
    moment : int

    Examples
    --------
    >>> visible(True, 10, 20, 10), visible(True, 10, 20, 20), visible(False, 10, 20, 10)
    (True, False, False)
    """
    return seen & (start <= moment) & (moment < end)
