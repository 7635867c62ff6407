"""Dates and times as people write them, as moments in UTC."""

from __future__ import annotations

from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

from ..records import CallError


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
    return value.astimezone(UTC)
