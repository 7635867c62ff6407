"""Conditions on what is known when a question comes: the time, values, what was looked up."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from ..core import CallError, ResolvedQuery, SettingsError
from ..index import Column
from ..platform.storage import Array
from ..search import documents_where

_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


def known_now(asked: ResolvedQuery, zone: ZoneInfo) -> dict[str, Any]:
    """What conditions and templates can name of a question, before anything is looked up.

    ``date``, ``time`` and ``weekday`` of the desk's clock (``as_of``, where the question has one),
    ``question``, ``audience``, and the query's values.
    """
    now = (asked.caller.as_of or datetime.now(UTC)).astimezone(zone)
    labels = asked.caller.labels
    return {
        **asked.values,
        "question": asked.question,
        "date": now.date().isoformat(),
        "time": f"{now:%H:%M}",
        "weekday": _DAYS[now.weekday()],
        "audience": sorted(labels) if labels is not None else ["owner"],
    }


def holds(condition: str, known: Mapping[str, Any], where: str) -> bool:
    """Whether a condition is true; it is not where a value it needs is missing.

    Parameters
    ----------
    condition : str
        As ``--where`` takes it; empty is always true. ``tide.height`` names a value looked up.
    known : mapping
        Nested mappings are reached by dots.
    where : str
        For errors: where it stands.

    Raises
    ------
    SettingsError
        It is no condition.

    Examples
    --------
    >>> now = {"time": "08:30", "tide": {"height": 1.4}}
    >>> holds("time < '09:00' AND tide.height < 2", now, ""), holds("length > 3", now, "")
    (True, False)
    """
    if not condition:
        return True
    columns = _Known(dict(_flat(known)))
    try:
        return bool(documents_where(condition, columns, 1, np.array([True]))[0])
    except CallError as error:
        if error.what.startswith("no document has a metadata field"):
            return False
        raise SettingsError(f"no condition: {error.what}", where, error.remedy) from None


def check_condition(condition: str, where: str) -> None:
    """Refuse what is no condition.

    Raises
    ------
    SettingsError
    """
    holds(condition, {}, where)


class _Known:
    """Values as columns of one document."""

    def __init__(self, values: Mapping[str, Any]) -> None:
        self._values = values
        self.remembered: dict[tuple[str, bytes], Array] = {}

    def __getitem__(self, name: str) -> Column:
        value = self._values.get(name, [])
        listed = value if isinstance(value, list | tuple) else [value]
        shown = [str(one) for one in listed]
        return Column(
            np.zeros(len(shown), dtype=np.int64),
            np.arange(len(shown), dtype=np.int64),
            shown,
            np.array([_number(one) for one in listed], dtype=np.float64),
        )

    def names(self) -> list[str]:
        return list(self._values)


def _flat(values: Mapping[str, Any], before: str = "") -> Iterator[tuple[str, Any]]:
    for name, value in values.items():
        if isinstance(value, Mapping):
            yield from _flat(value, f"{before}{name}.")
        elif value is not None:
            yield f"{before}{name}", value


def _number(value: Any) -> float:
    try:
        return float(value)
    except (TypeError, ValueError):
        return float("nan")
