"""What kind of thing a question asks for, as far as its first words say."""

from __future__ import annotations

import re
from enum import Enum


class Wanted(Enum):
    """A kind of thing that can be told by its form."""

    ANYTHING = "anything"
    NUMBER = "number"
    TIME = "time"


_TIME = re.compile(
    r"\b(when|what time|which date|what date|how long|how often|since when|until when|which day"
    r"|what day|opening hours|wann|wie lange|wie oft|quand|combien de temps|cuándo)\b",
    re.IGNORECASE,
)
_NUMBER = re.compile(
    r"\b(how (much|many|deep|far|high|tall|fast|wide|heavy|warm|large|big|old)|what (is|was|are|does"
    r"|did|do) .*\b(cost|pay|price|fee|charge|dues|speed|limit|length|depth|height|value|capacity"
    r"|load|draught|salary|fine|penalty|discount)|wie viele?|wie hoch|wie teuer|combien"
    r"|cuánto|cuántos)\b",
    re.IGNORECASE,
)
_IS_NUMBER = re.compile(
    r"\d|\b(one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|twenty|thirty|forty|fifty"
    r"|sixty|seventy|eighty|ninety|hundred|thousand|half|third|quarter|twelfth|free|nothing)\b",
    re.IGNORECASE,
)
_IS_TIME = re.compile(
    r"\b\d{1,2}[:.]\d{2}\b|\b\d{4}\b|\b(january|february|march|april|may|june|july|august|september"
    r"|october|november|december|monday|tuesday|wednesday|thursday|friday|saturday|sunday|daily"
    r"|weekly|monthly|yearly|seconds?|minutes?|hours?|days?|nights?|weeks?|months?|years?|once"
    r"|every|noon|midnight|immediately)\b",
    re.IGNORECASE,
)
_CODE = re.compile(r"\b(?=\w*\d)[A-Za-z]{1,6}[-/ ]?\d[\w/-]*\b")


def wanted(question: str) -> Wanted:
    """What a question asks for.

    Examples
    --------
    >>> wanted("How long does an offer stand?"), wanted("Is it safe?")
    (<Wanted.TIME: 'time'>, <Wanted.ANYTHING: 'anything'>)
    """
    if _TIME.search(question):
        return Wanted.TIME
    if _NUMBER.search(question):
        return Wanted.NUMBER
    return Wanted.ANYTHING


def has_wanted(kind: Wanted, text: str) -> bool:
    """Whether a text holds something of the kind asked for."""
    if kind is Wanted.TIME:
        return bool(_IS_TIME.search(text))
    if kind is Wanted.NUMBER:
        return bool(_IS_NUMBER.search(text))
    return True


def codes_in(text: str) -> frozenset[str]:
    """Codes of letters and figures in a text, folded: ``BL-60``, ``F-17``, ``E14``.

    Examples
    --------
    >>> sorted(codes_in("What is form F-17, and BL-60?"))
    ['bl-60', 'f-17']
    """
    return frozenset(match.group().casefold() for match in _CODE.finditer(text))
