"""Who may see what: one predicate for documents, one for what callers have left behind."""

from __future__ import annotations

from collections.abc import Collection


def may_see(caller: Collection[str] | None, labels: Collection[str]) -> bool:
    """Whether a caller may see what carries some labels; None is the owner, who sees all.

    Examples
    --------
    >>> may_see(["public"], ["public", "crew"]), may_see(["public"], ["crew"]), may_see(None, [])
    (True, False, True)
    """
    return caller is None or not frozenset(caller).isdisjoint(labels)


def sees_all_of(caller: Collection[str] | None, other: Collection[str] | None) -> bool:
    """Whether a caller sees at least what another one does: for what was told to that one.

    Examples
    --------
    >>> sees_all_of(["crew", "public"], ["public"]), sees_all_of(["public"], None)
    (True, False)
    """
    return caller is None or (other is not None and frozenset(caller) >= frozenset(other))
