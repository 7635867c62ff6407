"""The ready patterns: mail addresses, telephone and card numbers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

_MAIL = re.compile(r"[\w.+%'-]*[\w+%]@[\w-]+(?:\.[\w-]+)*\.[A-Za-z][\w-]*\w")
_TELEPHONE = re.compile(
    r"(?<![\w.,/+-])(?:\+|00|\(0|0|\(\d{2,5}\) ?)\d[\d ()/.-]{4,20}\d(?![\w/-]|[.,:]\d)"
)
_CARD = re.compile(r"(?<![\w.-])\d(?:[ -]?\d){12,18}(?![\w-])")
_DAY = re.compile(r"\d{1,4}[./-]\d{1,2}[./-]\d{1,4}")
_LEAST_DIGITS, _MOST_DIGITS = 7, 15


def ready_pattern(name: str) -> Callable[[str], Iterator[tuple[int, int]]]:
    """What finds the ranges of a kind of thing in a text.

    Parameters
    ----------
    name : str
        ``mail address``, ``telephone number``, or ``card number``; anything else is a
        regular expression.

    References
    ----------
    RFC 5322 for addresses; ITU-T E.164 for telephone numbers, of seven to fifteen figures
    that begin with +, 00, 0 or a bracket; ISO/IEC 7812-1 for card numbers, whose last
    figure is a check figure.

    Examples
    --------
    >>> text = "Write to quay@saltgarth.example or call +44 20 7946 0123 by 2026-11-01."
    >>> [text[a:b] for a, b in ready_pattern("mail address")(text)]
    ['quay@saltgarth.example']
    >>> [text[a:b] for a, b in ready_pattern("telephone number")(text)]
    ['+44 20 7946 0123']
    >>> list(ready_pattern("card number")("4000 0000 0000 0002 is one, 4000 0000 0000 0003 none"))
    [(0, 19)]
    """
    known: dict[str, tuple[re.Pattern[str], Callable[[str], bool]]] = {
        "mail address": (_MAIL, bool),
        "telephone number": (_TELEPHONE, _is_telephone),
        "card number": (_CARD, _is_card),
    }
    pattern, fits = known.get(name) or (re.compile(name), bool)

    def ranges(text: str) -> Iterator[tuple[int, int]]:
        for match in pattern.finditer(text):
            if fits(match.group()):
                yield match.start(), match.end()

    return ranges


def _is_telephone(words: str) -> bool:
    digits = sum(map(str.isdigit, words))
    return _LEAST_DIGITS <= digits <= _MOST_DIGITS and not _DAY.fullmatch(words)


def _is_card(words: str) -> bool:
    """Whether the check figure is right (Luhn's formula)."""
    total = 0
    for place, digit in enumerate(reversed([int(c) for c in words if c.isdigit()])):
        doubled = digit * 2 if place % 2 else digit
        total += doubled - 9 if doubled > 9 else doubled
    return total % 10 == 0
