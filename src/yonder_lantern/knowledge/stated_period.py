"""When a row or a sentence says that it holds, by dates of its own."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta, tzinfo

from ..text import written_dates

_ISO = re.compile(r"(?<!\d)(\d{4}-\d\d-\d\d)(?!\d)")
_FROM = re.compile(r"\b(?:from|since|as of|starting(?: on)?|beginning(?: on)?|effective)\s+$", re.I)
_UNTIL = re.compile(r"\b(?:until|till|through|up to(?: and including)?|to)\s+$", re.I)
_BOTH_ENDS = re.compile(r"\bto\s+$", re.I)  # an end only where a beginning stands before it
_VALID = r"(?:valid|in force|effective|applies|holds)"
_FROM_HEAD = re.compile(rf"^(?:{_VALID}\s+(?:from|since)|effective(?: date)?)$", re.I)
_UNTIL_HEAD = re.compile(
    rf"^(?:{_VALID}\s+(?:until|till|to|through)|expir(?:y|es|ation)(?: date)?)$", re.I
)
Period = tuple[str, str]  # in UTC (ISO 8601), half-open; empty is open


def period_of_row(cells: Iterable[tuple[str, str]], zone: tzinfo) -> Period:
    """When a row holds, by its columns "valid from", "valid until", "expires".

    Parameters
    ----------
    cells : iterable of (str, str)
        Heads and what stands below them.
    zone : tzinfo
        Of dates.
    """
    begins = ends = ""
    for head, cell in cells:
        dates = _dates(cell)
        if len(dates) == 1 and _FROM_HEAD.match(head):
            begins = _moment(dates[0][1], zone)
        elif len(dates) == 1 and _UNTIL_HEAD.match(head):
            ends = _moment(dates[0][1], zone, after=True)
    return begins, ends


def period_of_sentence(sentence: str, zone: tzinfo) -> Period:
    """When a sentence says that it holds: the last day is within.

    Parameters
    ----------
    sentence : str
    zone : tzinfo
        Of dates.

    Examples
    --------
    >>> period_of_sentence("From 1 May 2026 to 30 June 2026 the slip is closed.", UTC)
    ('2026-05-01T00:00:00+00:00', '2026-07-01T00:00:00+00:00')
    >>> period_of_sentence("The lift was built on 3 May 1998.", UTC)
    ('', '')
    """
    begins = ends = ""
    for at, day in _dates(sentence):
        before = sentence[:at]
        if _FROM.search(before):
            begins = _moment(day, zone)
        elif _UNTIL.search(before) and (begins or not _BOTH_ENDS.search(before)):
            ends = _moment(day, zone, after=True)
    return begins, ends


def within(own: Period, other: Period) -> Period:
    """The time that two periods have in common."""
    begins = max(own[0], other[0])
    ends = min((one for one in (own[1], other[1]) if one), default="")
    return begins, ends


def _dates(text: str) -> list[tuple[int, str]]:
    """The dates of a text, with where each begins."""
    found = [(match.start(), match[1]) for match in _ISO.finditer(text)]
    return sorted([*found, *written_dates(text)])


def _moment(day: str, zone: tzinfo, *, after: bool = False) -> str:
    """The beginning of a day in UTC, or of the day after it; empty for no day."""
    try:
        found = date.fromisoformat(day) + timedelta(days=int(after))
    except (ValueError, OverflowError):  # 2026-02-31
        return ""
    return datetime(found.year, found.month, found.day, tzinfo=zone).astimezone(UTC).isoformat()
