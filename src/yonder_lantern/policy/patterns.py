"""The ready patterns: mail addresses, telephone and card numbers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import partial

# An address is looked for around each "@", no farther than RFC 5321 lets its parts be long.
_BEFORE = re.compile(r"[\w+%][\w.+%'-]{0,63}")  # backwards
_BEHIND = re.compile(r"[\w-]{1,63}(?:\.[\w-]{1,63}){0,20}")
_LONGEST_BEFORE, _LONGEST_BEHIND = 64, 255
_TELEPHONE = re.compile(
    r"(?<![\w.,/+-])(?:\+|00|\(0|0|\(\d{2,5}\) ?)\d[\d ()/.-]{4,20}\d(?![\w/-]|[.,:]\d)"
)
_CARD = re.compile(r"(?<![\w.-])\d(?:[ -]?\d){12,18}(?![\w-])")
_DAY = re.compile(r"\d{1,4}[./-]\d{1,2}[./-]\d{1,4}")
_LEAST_DIGITS, _MOST_DIGITS = 7, 15


def ready_pattern(name: str, seconds: float = 2.0) -> Callable[[str], Iterator[tuple[int, int]]]:
    """What finds the ranges of a kind of thing in a text.

    The ready patterns take time in proportion to the text. For other expressions there is a
    limit of time, since one can be written that never ends.

    Parameters
    ----------
    name : str
        ``mail address``, ``telephone number``, or ``card number``; anything else is a
        regular expression.
    seconds : float
        How long an expression may take for one text; it raises a `TimeoutError` then.

    References
    ----------
    RFC 5321 and 5322 for addresses; ITU-T E.164 for telephone numbers, of seven to fifteen figures
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
    known: dict[str, Callable[[str], Iterator[tuple[int, int]]]] = {
        "mail address": _mail_addresses,
        "telephone number": partial(_fitting, _TELEPHONE, _is_telephone),
        "card number": partial(_fitting, _CARD, _is_card),
    }
    if name in known:
        return known[name]
    import regex  # takes a while to load: only where somebody has written an expression

    compiled = regex.compile(name)

    def ranges(text: str) -> Iterator[tuple[int, int]]:
        for match in compiled.finditer(text, timeout=seconds):
            yield match.start(), match.end()

    return ranges


def _fitting(
    pattern: re.Pattern[str], fits: Callable[[str], bool], text: str
) -> Iterator[tuple[int, int]]:
    for match in pattern.finditer(text):
        if fits(match.group()):
            yield match.start(), match.end()


def _mail_addresses(text: str) -> Iterator[tuple[int, int]]:
    last = 0
    at = text.find("@")
    while at >= 0:
        before = _BEFORE.match(text[max(last, at - _LONGEST_BEFORE) : at][::-1])
        behind = _BEHIND.match(text[at + 1 : at + 1 + _LONGEST_BEHIND])
        if before and behind:
            domain = behind.group().rstrip("-.")
            _, _, ending = domain.rpartition(".")
            if "." in domain and len(ending) > 1 and ending[0].isalpha():
                last = at + 1 + len(domain)
                yield at - len(before.group()), last
        at = text.find("@", at + 1)


def _is_telephone(words: str) -> bool:
    digits = sum(map(str.isdigit, words))
    return _LEAST_DIGITS <= digits <= _MOST_DIGITS and not _DAY.fullmatch(words)


def _is_card(words: str) -> bool:
    """Whether the check figure is right (Luhn's formula)."""
    total = 0
    for location, digit in enumerate(reversed([int(c) for c in words if c.isdigit()])):
        doubled = digit * 2 if location % 2 else digit
        total += doubled - 9 if doubled > 9 else doubled
    return total % 10 == 0
