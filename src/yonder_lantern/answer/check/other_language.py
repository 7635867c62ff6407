"""A statement in another language than the words it cites: what can be compared are its figures.

Its words cannot be looked for one by one. It is supported where it names numbers, dates, codes or
names, all of them stand in what it cites, and both deny something or neither does. Nothing that
can be compared: not supported, and that is the reason given.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...text import words
from ..answer_type import codes_in
from .amounts import Value, values_in
from .contrasts import NEGATORS

HALF_SURE = 0.5  # how far figures and names alone bear a statement out
_NAME = re.compile(r"\b[A-ZÄÖÜÉ][\w'’-]+(?: [A-ZÄÖÜÉ][\w'’-]+)*")


def unlike_in_other_language(statement: str, texts: Sequence[str]) -> tuple[str, str] | None:
    """What of a statement its evidence in another language does not bear out: its kind and words.

    Parameters
    ----------
    statement : str
    texts : sequence of str
        What is cited, and the titles and headings over it.

    Examples
    --------
    >>> told = ["The East Quay shuts at 22:00, and nobody may land."]
    >>> unlike_in_other_language("Der East Quay schließt um 22 Uhr, niemand darf an Land.", told)
    >>> unlike_in_other_language("Der East Quay schließt um 23:00 Uhr, niemand darf hin.", told)
    ('time', '23:00')
    >>> unlike_in_other_language("Er ist schön.", told)[0]
    'language'
    """
    there = " \n".join(texts)
    values, others = values_in(statement), values_in(there)
    for value in values:
        if not any(value.agrees(other) or _is_hour(value, other) for other in others):
            return value.kind, value.words
    for code in sorted(codes_in(statement)):
        if code not in there.casefold():
            return "code", code
    named = [one for one in _NAME.findall(statement) if one in there]
    if not (values or named or codes_in(statement)):
        return "language", statement
    if _denies(statement) != _denies(there):
        return "negation", statement
    return None


def _is_hour(value: Value, other: Value) -> bool:
    """Whether "22 Uhr" is 22:00."""
    hour = value.kind == "number" and other.kind == "time"
    return hour and 60 * value.amount[0] == other.amount[0]


def _denies(text: str) -> bool:
    return not NEGATORS.isdisjoint(word.casefold() for word in words(text))
