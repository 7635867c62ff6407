"""Dates and times as people write them, as moments in UTC."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from ..core import CallError


def parse_moment(value: str | date | datetime, zone: ZoneInfo, where: str = "") -> datetime:
    """A date or time (ISO 8601) as a moment in UTC.

    A date means its first instant; a value without a zone is read in ``zone``.

    Raises
    ------
    CallError
        The value is not a date or time.

    Examples
    --------
    >>> parse_moment("2026-04-01", ZoneInfo("Europe/Oslo")).isoformat()
    '2026-03-31T22:00:00+00:00'
    """
    if isinstance(value, str):
        try:
            value = datetime.fromisoformat(value.strip())
        except ValueError:
            raise CallError(
                f"not a date or time: {value!r}",
                where,
                "write it as 2026-04-01 or 2026-04-01T08:30",
            ) from None
    if not isinstance(value, datetime):
        value = datetime.combine(value, time())
    if value.tzinfo is None:
        value = value.replace(tzinfo=zone)
    try:
        return value.astimezone(UTC)
    except OverflowError:
        raise CallError(
            f"no clock goes as far as {value.isoformat()}", where, "name a nearer moment"
        ) from None


_UNITS = {"s": "seconds", "m": "minutes", "h": "hours", "d": "days", "w": "weeks"}


def parse_duration(text: str) -> timedelta:
    """An age as people write it: a number and one of ``s``, ``m``, ``h``, ``d``, ``w``.

    Raises
    ------
    ValueError
        It is not written so.

    Examples
    --------
    >>> parse_duration("90m") == parse_duration("1.5h")
    True
    """
    match = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*([smhdw])\s*", text)
    if not match:
        raise ValueError(f"not an age: {text!r}; write it as 30m, 2h or 1d")
    return timedelta(**{_UNITS[match[2]]: float(match[1])})
