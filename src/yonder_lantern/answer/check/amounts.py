"""Numbers with their units, dates and times, whichever way they are written."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

_ONES = """zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen
fifteen sixteen seventeen eighteen nineteen""".split()
_TENS = "twenty thirty forty fifty sixty seventy eighty ninety".split()
_ORDINALS = """first second third fourth fifth sixth seventh eighth ninth tenth eleventh
twelfth""".split()
_SMALL = {word: number for number, word in enumerate(_ONES)} | {
    word: 10 * number for number, word in enumerate(_TENS, 2)
}
_WORD_NUMBERS = "|".join(sorted(_SMALL, key=len, reverse=True))
_FRACTIONS = {"½": Decimal("0.5"), "¼": Decimal("0.25"), "¾": Decimal("0.75")}
_MONTHS = {
    name: number
    for number, names in enumerate(
        """january jan januar janvier|february feb februar février|march mar märz mars
        |april apr avril|may mai|june jun juni juin|july jul juli juillet|august aug août
        |september sep sept septembre|october oct oktober octobre|november nov novembre
        |december dec dezember décembre""".split("|"),
        1,
    )
    for name in names.split()
}
_MONTH = "|".join(sorted(_MONTHS, key=len, reverse=True))

# What is written in several ways, each way with the one it is compared by.
_UNITS = {
    form: unit
    for unit, forms in {
        "m": "m metre meter mètre",
        "km": "km kilometre kilometer kilomètre",
        "cm": "cm centimetre centimeter",
        "mm": "mm millimetre millimeter",
        "mile": "mile meile mille",
        "foot": "foot feet ft",
        "t": "t tonne ton",
        "kg": "kg kilogram kilo kilogramm",
        "g": "g gram gramme gramm",
        "l": "l litre liter",
        "m³": "m³ m3",
        "m²": "m² m2",
        "kn": "knot kn knoten nœud",
        "kw": "kw kilowatt",
        "kwh": "kwh",
        "a": "ampere amp",
        "v": "volt",
        "w": "watt",
        "bar": "bar",
        "n": "newton",
        "hz": "hz hertz",
        "ghz": "ghz",
        "second": "second sec s sekunde seconde",
        "minute": "minute min",
        "hour": "hour h hr stunde heure",
        "day": "day tag jour",
        "night": "night nacht nuit",
        "week": "week woche semaine",
        "month": "month monat mois",
        "year": "year jahr année",
        "%": "% percent per\u00a0cent per cent prozent",
        "°": "° degree grad degré",
        "crown": "crown krone couronne",
        "euro": "€ euro eur",
        "pound": "£ pound gbp",
        "dollar": "$ dollar usd",
        "cent": "cent",
        "people": "people person persons personen",
        "passenger": "passenger",
        "berth": "berth",
        "boat": "boat",
        "pupil": "pupil",
        "form": "form",
    }.items()
    for form in (["%", "percent", "per cent", "prozent"] if unit == "%" else forms.split())
}
_SIZES = {
    unit: (kind, Decimal(size))
    for kind, units in {
        "length": {"km": "1000", "m": "1", "cm": "0.01", "mm": "0.001"},
        "weight": {"t": "1000", "kg": "1", "g": "0.001"},
        "time": {"week": "168", "day": "24", "hour": "1"},
    }.items()
    for unit, size in units.items()
}
_FORMS = "|".join(sorted(map(re.escape, _UNITS), key=len, reverse=True))
_UNIT_AFTER = re.compile(
    rf"[\s\u00a0]*(?:-[\s\u00a0]*)?({_FORMS})(?:s|en|n|e|es)?(?![^\W\d_])", re.I
)
_CURRENCY_BEFORE = re.compile(r"([€£$])\s*$")
_LONGEST_UNIT = 24

_TIME = re.compile(
    r"\b([01]?\d|2[0-4])[:h]([0-5]\d)(?!\d)(?:\s*([ap])\.?m\b\.?)?"
    r"|\b(1[0-2]|[1-9])(?:\.([0-5]\d))?\s*([ap])\.?m\b\.?|\b(noon|midnight)\b",
    re.I,
)
_DATE = re.compile(
    rf"\b(?P<y>(?:1[5-9]|20)\d\d)-(?P<m>\d\d)(?:-(?P<d>\d\d))?\b"
    rf"|\b(?P<d2>\d{{1,2}})(?:st|nd|rd|th|\.)?\s+(?:of\s+)?(?P<n2>{_MONTH})\b\.?(?:,?\s+(?P<y2>(?:1[5-9]|20)\d\d)\b)?"
    rf"|\b(?P<n3>{_MONTH})\.?\s+(?:(?P<d3>\d{{1,2}})(?:st|nd|rd|th)?\b(?![:.]\d))?,?\s*(?P<y3>(?:1[5-9]|20)\d\d)?\b"
    rf"|\b(?P<d4>\d{{1,2}})\.\s?(?P<m4>1[0-2]|0?[1-9])\.\s?(?P<y4>(?:1[5-9]|20)\d\d)\b",
    re.I,
)
_DAY_BEFORE = re.compile(
    r"\b(\d{1,2})(?:st|nd|rd|th|\.)?\s*(?:to|and|or|until|till|through|[-–]|bis|und|au|et)\s*$"
)
_CODE = re.compile(r"\b(?:[A-Za-z]{1,6}[-/]\d[\w/-]*|[A-Za-z]{1,3}\d+|\d+[A-Z]+)\b")
_NUMBER = re.compile(
    r"(?<![\w.,])(\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:[.,]\d+)?)?([½¼¾])?(?<=[\d½¼¾])"
    r"(?:\s+(hundred|thousand|million)|st|nd|rd|th)?"
    rf"(?=(?:{_FORMS})s?(?!\w)|(?!\w|[.,]\d))",
    re.I,
)
_WORDED = re.compile(
    rf"\b(?:(?:({_WORD_NUMBERS})[\s-]+)?({_WORD_NUMBERS})(?:\s+(hundred|thousand|million))?"
    rf"|an?\s+(hundred|thousand|million|dozen)|({'|'.join(_ORDINALS)}))\b",
    re.I,
)
_MANY = {"hundred": 100, "thousand": 1000, "million": 1_000_000, "dozen": 12}


@dataclass(frozen=True, slots=True)
class Value:
    """A number, a date or a time that a text names.

    Attributes
    ----------
    kind : {"number", "date", "time"}
    amount : tuple of int or (Decimal,)
        A number; year, month and day, 0 for what is not said; or minutes of the day.
    unit : str
        A number's unit, empty where it has none that is known.
    words : str
        As written.
    start : int
        Where it stands.
    """

    kind: Literal["number", "date", "time"]
    amount: tuple[int, ...] | tuple[Decimal]
    unit: str
    words: str
    start: int = 0

    def in_unit(self, unit: str) -> Value | None:
        """The same amount in another unit of its kind; None where there is no way.

        Examples
        --------
        >>> values_in("900 kg")[0].in_unit("t").amount
        (Decimal('0.9'),)
        """
        if unit == self.unit:
            return self
        kind, size = _SIZES.get(self.unit, ("", Decimal(0)))
        other, factor = _SIZES.get(unit, ("none", Decimal(1)))
        if kind != other or self.kind != "number":
            return None
        return replace(self, amount=(Decimal(self.amount[0]) * size / factor,), unit=unit)

    def agrees(self, other: Value) -> bool:
        """Whether both say the same, as far as both say it."""
        if self.kind != other.kind:
            number, day = (self, other) if self.kind == "number" else (other, self)
            return day.kind == "date" and not number.unit and number.amount[0] == day.amount[0]
        if self.kind == "date":
            return all(
                not a or not b or a == b for a, b in zip(self.amount, other.amount, strict=True)
            )
        same_unit = self.unit == other.unit or not self.unit or not other.unit
        return self.amount == other.amount and same_unit


def values_in(text: str) -> list[Value]:
    """The numbers, dates and times of a text, in order.

    Examples
    --------
    >>> [(v.words, v.unit) for v in values_in("27.00 crowns for ten nights, by 18:30 on 1 May")]
    [('27.00', 'crown'), ('ten', 'night'), ('18:30', ''), ('1 May', '')]
    """
    found: list[Value] = []
    left = text
    for match in _CODE.finditer(text):  # compared as what they are, not as numbers
        left = left[: match.start()] + " " * len(match.group()) + left[match.end() :]
    readers: tuple[tuple[re.Pattern[str], Callable[[re.Match[str]], list[Value]]], ...] = (
        (_DATE, _date),
        (_TIME, _time),
        (_NUMBER, lambda match: _number(match, text)),
        (_WORDED, lambda match: _worded(match, text)),
    )
    for pattern, read in readers:
        blanked = []
        for match in pattern.finditer(left):
            for value in read(match):
                found.append(value)
                blanked.append((value.start, match.end()))
        for start, end in blanked:
            left = left[:start] + " " * (end - start) + left[end:]
    return sorted(found, key=lambda value: value.start)


def _date(match: re.Match[str]) -> list[Value]:
    parts = match.groupdict()
    year = int(parts["y"] or parts["y2"] or parts["y3"] or parts["y4"] or 0)
    name = parts["n2"] or parts["n3"]
    month = _MONTHS[name.casefold()] if name else int(parts["m"] or parts["m4"] or 0)
    day = int(parts["d"] or parts["d2"] or parts["d3"] or parts["d4"] or 0)
    if not 1 <= month <= 12 or day > 31:
        return []
    if name and not day and not year and (len(name) < 5 or not name[0].isupper()):
        if name.casefold() in ("may", "mai", "mars", "march") and not name[0].isupper():
            return []  # a word like any other
        if name.casefold() not in ("may", "june", "july") or match.start() == 0:
            return []
    found = [Value("date", (year, month, day), "", match.group().strip(" ,"), match.start())]
    if name and day and (other := _DAY_BEFORE.search(match.string[: match.start()])):
        # "from 5 to 16 October" names two days
        first = (year, month, int(other[1]))
        found.append(Value("date", first, "", other[1], other.start()))
    return found


def _time(match: re.Match[str]) -> list[Value]:
    hour, minute, half, hour_2, minute_2, half_2, named = match.groups()
    if named:
        at = 12 * 60 if named.lower() == "noon" else 0
        return [Value("time", (at,), "", named, match.start())]
    at = int(hour or hour_2) % 24
    after_noon = (half or half_2 or "").lower()
    if after_noon:
        at = at % 12 + (12 if after_noon == "p" else 0)
    minutes = at * 60 + int(minute or minute_2 or 0)
    return [Value("time", (minutes,), "", match.group(), match.start())]


def _number(match: re.Match[str], text: str) -> list[Value]:
    amount = Decimal(_plain(match[1] or "0"))
    # A sum or product has 28 digits at most: a number as it stands keeps all of its own.
    if match[2] in _FRACTIONS:
        amount += _FRACTIONS[match[2]]
    if match[3]:
        amount *= _MANY[match[3].lower()]
    return [Value("number", (_rid(amount),), _unit(text, match), match.group(), match.start())]


def _rid(amount: Decimal) -> Decimal:
    """An amount without zeros behind its point."""
    # `to_integral_value` takes any number of digits, `quantize` only those of the context.
    return amount.to_integral_value() if amount == amount.to_integral() else amount.normalize()


def _plain(digits: str) -> str:
    if re.fullmatch(r"\d{1,3}(,\d{3})+(\.\d+)?", digits):
        return digits.replace(",", "")
    return digits.replace(",", ".")


def _worded(match: re.Match[str], text: str) -> list[Value]:
    tens, ones, times, alone, ordinal = match.groups()
    unit = _unit(text, match)
    if ordinal:
        amount = _ORDINALS.index(ordinal.lower()) + 1
    elif alone:
        amount = _MANY[alone.lower()]
    else:
        amount = _SMALL[ones.lower()] + (_SMALL[tens.lower()] if tens else 0)
        amount *= _MANY[times.lower()] if times else 1
    if match.group().lower() == "one" and not unit:
        return []  # a pronoun far more often than a count
    return [Value("number", (Decimal(amount),), unit, match.group(), match.start())]


def unit_of(word: str) -> str:
    """The unit that a word names, in the form it is compared in; empty if it is none."""
    folded = word.casefold()
    return _UNITS.get(folded) or _UNITS.get(folded.removesuffix("s"), "")


def _unit(text: str, match: re.Match[str]) -> str:
    before = _CURRENCY_BEFORE.search(text[max(0, match.start() - 2) : match.start()])
    if before:
        return _UNITS[before[1]]
    after = _UNIT_AFTER.match(text[match.end() : match.end() + _LONGEST_UNIT])
    if not after:
        return ""
    return _UNITS.get(after[1]) or _UNITS.get(after[1].lower(), "")
