"""Dates in running text, whichever way they are written."""

from __future__ import annotations

import re
from datetime import date

_NAMES = {  # the months in the languages that are stemmed, and their usual short forms
    1: "january jan januar janvier enero gennaio januari janeiro",
    2: "february feb februar février febrero febbraio februari fevereiro",
    3: "march mar märz mars marzo maart março",
    4: "april apr avril abril aprile",
    5: "may mai mayo maggio mei maio maj",
    6: "june jun juni juin junio giugno junho",
    7: "july jul juli juillet julio luglio julho",
    8: "august aug août agosto augustus augusti",
    9: "september sep sept septembre septiembre settembre setembro",
    10: "october oct oktober okt octobre octubre ottobre outubro",
    11: "november nov novembre noviembre novembro",
    12: "december dec dezember dez décembre diciembre dicembre dezembro",
}
_MONTHS = {name: number for number, names in _NAMES.items() for name in names.split()}
_MONTH = "|".join(sorted(_MONTHS, key=len, reverse=True))
_DAY = r"(0?[1-9]|[12]\d|3[01])"
_YEAR = r"((?:19|20)\d\d)"
_WRITTEN = re.compile(  # what ends in a year
    rf"(?:\b{_DAY}(?:st|nd|rd|th|\.|er|º)?\s+(?:of\s+|de\s+)?({_MONTH})\.?,?\s+(?:de\s+)?"
    rf"|\b({_MONTH})\.?\s+{_DAY}(?:st|nd|rd|th)?,?\s+"
    rf"|\b{_DAY}\.\s?(0?[1-9]|1[0-2])\.\s?)$",
    re.IGNORECASE,
)
_YEARS = re.compile(_YEAR + r"\b")
_LONGEST = 32  # characters before the year


def written_dates(text: str) -> list[tuple[int, str]]:
    """The dates that a text writes in words or with dots, each with where it begins.

    Those already written ``2026-05-03`` are words as they are.

    Examples
    --------
    >>> written_dates("From 3 May 2026 to June 1st, 2026; am 07.06.2026.")
    [(5, '2026-05-03'), (19, '2026-06-01'), (38, '2026-06-07')]
    """
    found: list[tuple[int, str]] = []
    for year in _YEARS.finditer(text):
        first = max(0, year.start() - _LONGEST)
        match = _WRITTEN.search(text[first : year.start()])
        if match is None:
            continue
        day, month, month_2, day_2, day_3, month_3 = match.groups()
        name = month or month_2
        number = _MONTHS[name.casefold()] if name else int(month_3)
        try:
            moment = date(int(year[1]), number, int(day or day_2 or day_3))
        except ValueError:  # 31 June
            continue
        found.append((first + match.start(), moment.isoformat()))
    return found
