"""What kind of thing a question asks for, as far as its words say, and what holds such a thing."""

from __future__ import annotations

import re
from enum import Enum


class Wanted(Enum):
    """A kind of thing that can be told by its form."""

    ANYTHING = "anything"
    NUMBER = "number"
    MONEY = "money"
    DURATION = "duration"
    FREQUENCY = "frequency"
    DATE = "date"


_NUMBER_WORDS = (
    "one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|fifteen|twenty|thirty|forty"
    "|fifty|sixty|seventy|eighty|ninety|hundred|thousand"
)
_MONTHS = "january|february|march|april|may|june|july|august|september|october|november|december"
_DAYS = "monday|tuesday|wednesday|thursday|friday|saturday|sunday"
_SPANS = "seconds?|minutes?|hours?|days?|nights?|weeks?|fortnights?|months?|years?|seasons?"

_ASKS = (
    (Wanted.DURATION, r"\bhow long\b(?! is the (?:quay|pontoon|boat|ship|vessel))|\bwie lange\b"),
    (Wanted.FREQUENCY, r"\bhow often\b|\bwie oft\b"),
    (Wanted.DATE, r"\bwhen\b|\bwhat time\b|\b(?:what|which) (?:date|day|year|month)s?\b|\bwann\b"),
    (
        Wanted.MONEY,
        r"\b(?:cost|costs|price|pay|pays|paid|fee|fees|charge|charges|dues|fine|salary|fare|rent"
        r"|penalty|discount|refund|deposit|spend|money|cash)\b",
    ),
    (
        Wanted.NUMBER,
        r"\bhow (?:many|much|deep|far|high|tall|fast|wide|heavy|warm|large|big|old|strong)\b"
        r"|\b(?:speed|limit|length|depth|height|value|capacity|load|draught|number|percentage)\b"
        r"|\bwie ?viele?\b|\bcombien\b",
    ),
)
_QUESTIONS = [(kind, re.compile(pattern, re.IGNORECASE)) for kind, pattern in _ASKS]
_ASKS_AMOUNT = re.compile(r"^\s*(?:and )?(?:how|what|which|wie|combien)\b", re.IGNORECASE)

_HOLDS = {
    Wanted.NUMBER: rf"\d|\b(?:{_NUMBER_WORDS})\b",
    Wanted.MONEY: r"\d+\.\d\d\b|[€$£%]"
    r"|\b(?:crowns?|euros?|pounds?|dollars?|cents?|free|nothing|per cent)\b",
    Wanted.DURATION: rf"(?:\d|\b(?:{_NUMBER_WORDS}|half|an?|few|several)\b)[\w\s,½¼-]{{0,14}}?"
    rf"\b(?:{_SPANS})\b",
    Wanted.FREQUENCY: rf"\b(?:every|each|once|twice|daily|weekly|monthly|quarterly|yearly|annually)"
    rf"\b|\btimes? an? (?:{_SPANS})\b|\bon (?:{_DAYS})s\b",
    Wanted.DATE: rf"\b\d{{1,2}}[:.]\d{{2}}\b|\b(?:1[5-9]|20)\d\d\b|\b(?:{_MONTHS}|{_DAYS})\b"
    r"|\bnoon\b|\bmidnight\b|\bat once\b",
}
_HOLDERS = {kind: re.compile(pattern, re.IGNORECASE) for kind, pattern in _HOLDS.items()}
_CODE = re.compile(r"\b(?:[A-Za-z]{1,6}[-/]?\d[\w/-]*|\d+[A-Z])\b")
_AMOUNT = re.compile(
    r"(\d+(?:[.,]\d+)?)\s*-?\s*(m|metres?|meters?|t|tonnes?|knots?|litres?)\b", re.I
)
_RANGE = re.compile(
    r"(?:over (\d+(?:\.\d+)?) ?(\w+)?,? )?up to (\d+(?:\.\d+)?) ?(\w+)|over (\d+(?:\.\d+)?) ?(\w+)"
)


def wanted(question: str) -> Wanted:
    """What a question asks for.

    Examples
    --------
    >>> wanted("How long does an offer stand?").value, wanted("What does a yacht pay?").value
    ('duration', 'money')
    """
    for kind, pattern in _QUESTIONS:
        if pattern.search(question):
            if kind is Wanted.MONEY and not _ASKS_AMOUNT.search(question):
                continue
            return kind
    return Wanted.ANYTHING


def has_wanted(kind: Wanted, text: str) -> bool:
    """Whether a text holds something of the kind asked for."""
    holder = _HOLDERS.get(kind)
    return holder is None or holder.search(text) is not None


def codes_in(text: str) -> frozenset[str]:
    """Codes of letters and figures in a text, folded: ``BL-60``, ``F-17``, ``E14``.

    Examples
    --------
    >>> sorted(codes_in("What is form F-17, and BL-60?"))
    ['bl-60', 'f-17']
    """
    return frozenset(match.group().casefold() for match in _CODE.finditer(text))


def amounts_in(text: str) -> list[tuple[float, str]]:
    """Amounts with the first letter of their unit: ``9 metre`` is ``(9.0, 'm')``."""
    return [(float(n.replace(",", ".")), unit[0].lower()) for n, unit in _AMOUNT.findall(text)]


def amount_words(text: str) -> list[str]:
    """The amounts of a text as written."""
    return [match.group() for match in _AMOUNT.finditer(text)]


def in_range(amounts: list[tuple[float, str]], text: str) -> float:
    """Whether a text's first range ("over 8 m, up to 10 m") holds an amount asked about.

    Returns
    -------
    float
        1 when it does, 0 when it holds none of them, one half when the question
        has no amount or the text no range.

    Examples
    --------
    >>> in_range([(9.0, "m")], "| over 8 m, up to 10 m | 27.00 |")
    1.0
    """
    found = _RANGE.search(text) if amounts else None
    if not found:
        return 0.5
    low, _, high, unit, bare, bare_unit = found.groups()
    least = float(low or bare or 0)
    most = float(high) if high else float("inf")
    letter = (unit or bare_unit or "")[:1].lower()
    same = [amount for amount, own in amounts if own == letter]
    if not same:
        return 0.5
    return 1.0 if any(least < amount <= most for amount in same) else 0.0
