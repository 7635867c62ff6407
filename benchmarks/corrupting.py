"""True statements about the demo's documents, and the same made false in a dozen ways.

Used by ``fit_support.py``. What is made false is chosen by word lists of its own, which the
checking does not share.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from dataclasses import dataclass

from yonder_lantern.answer.check import Evidence


@dataclass(frozen=True)
class Case:
    """A statement, the words it cites, and what was done to it; ``""`` for a true one."""

    statement: str
    evidence: Evidence
    kind: str
    split: str
    true: bool


_NUMBERS = re.compile(r"(?<![\w.,:-])\d+(?:[.,]\d+)?(?![\w:]|[.,]\d)")
_TIMES = re.compile(r"\b([01]\d|2[0-3]):([0-5]\d)\b")
_MONTHS = "January February March April May June July August September October November December"
_DATES = re.compile(rf"\b(\d{{1,2}}) ({_MONTHS.replace(' ', '|')})\b")
_CODES = re.compile(r"\b([A-Z]{1,3})-(\d+)\b")
_UNITS = {
    "days": "weeks", "weeks": "months", "months": "years", "hours": "minutes", "minutes": "hours",
    "seconds": "minutes", "metres": "miles", "metre": "mile", "tonnes": "kilograms",
    "knots": "miles",
    "litres": "gallons", "crowns": "euros", "years": "months", "nights": "weeks", "m": "km",
    "t": "kg", "per cent": "per mille", "centimetres": "millimetres", "kilowatts": "watts",
}  # fmt: skip
_TURNED = {
    "before": "after", "after": "before", "over": "under", "under": "over", "above": "below",
    "below": "above", "more": "less", "less": "more", "at least": "at most", "at most": "at least",
    "open": "closed", "closed": "open", "shut": "open", "free": "charged", "north": "south",
    "south": "north", "summer": "winter", "winter": "summer", "day": "night", "longer": "shorter",
    "inside": "outside", "with": "without", "first": "last", "largest": "smallest", "high": "low",
    "low": "high", "earlier": "later", "red": "green", "green": "red", "blue": "yellow",
    "allowed": "forbidden", "forbidden": "allowed", "left": "right", "warm": "cold", "east": "west",
}  # fmt: skip
_NAMES = (
    "Captain Ferrow",
    "Brindle Point",
    "Ostrel Bay",
    "Mrs Quillan",
    "Tern Island",
    "Danby Sound",
)
_INVENTED = (
    "and a guided tour of the bakery is included",
    "but only for members of the royal yacht club",
    "and the mayor hands out a certificate",
    "because the insurance company insists on it",
    "and breakfast is served in the canteen",
    "while the swimming pool is being painted",
)
_DENIED = {
    " cannot ": " can ", " not ": " ", "No ": "Every ", "Nobody ": "Everybody ", " never ": " ",
    " nobody ": " everybody ",
}  # fmt: skip
_OBLIGED = {"may": "must", "must": "may", "can": "must", "may not": "must"}
_WIDER = {
    "some": "all", "most": "all", "usually": "always", "often": "always", "nearly": "always",
    "many": "all", "about": "only", "normally": "always", "several": "all", "few": "all",
}  # fmt: skip


def _swapped(text: str, words: dict[str, str], chance: random.Random) -> str | None:
    places = [
        (match.span(), words[match.group().lower()])
        for match in re.finditer(r"\b(?:" + "|".join(map(re.escape, words)) + r")\b", text)
    ]
    if not places:
        return None
    (start, end), new = chance.choice(places)
    return text[:start] + new + text[end:]


def number(text: str, chance: random.Random) -> str | None:
    places = list(_NUMBERS.finditer(text))
    if not places:
        return None
    match = chance.choice(places)
    old = match.group()
    new = old
    while new == old or new in text:
        new = re.sub(r"\d", lambda _: str(chance.randint(1, 9)), old)
    return text[: match.start()] + new + text[match.end() :]


def unit(text: str, chance: random.Random) -> str | None:
    after = {f" {old}": f" {new}" for old, new in _UNITS.items()}
    places = [
        (match.start(2), match.end(2), after[match.group(2)])
        for match in re.finditer(
            r"(\d|\b(?:two|three|four|five|six|ten|twenty|thirty|forty|sixty))("
            + "|".join(sorted(map(re.escape, after), key=len, reverse=True))
            + r")\b",
            text,
        )
    ]
    if not places:
        return None
    start, end, new = chance.choice(places)
    return text[:start] + new + text[end:]


def date(text: str, chance: random.Random) -> str | None:
    match = _DATES.search(text)
    if not match:
        return None
    month = chance.choice([m for m in _MONTHS.split() if m not in text])
    return f"{text[: match.start(2)]}{month}{text[match.end(2) :]}"


def time(text: str, chance: random.Random) -> str | None:
    match = _TIMES.search(text)
    if not match:
        return None
    hour = (int(match[1]) + chance.randint(1, 11)) % 24
    new = f"{hour:02d}:{match[2]}"
    return None if new in text else text[: match.start()] + new + text[match.end() :]


def code(text: str, chance: random.Random) -> str | None:
    match = _CODES.search(text)
    if not match:
        return None
    return f"{text[: match.start(2)]}{int(match[2]) + chance.randint(40, 60)}{text[match.end(2) :]}"


def name(text: str, chance: random.Random) -> str | None:
    places = list(re.finditer(r"(?<=[a-z,] )(?:[A-Z][a-z]+)(?: [A-Z][a-z]+)*", text))
    places = [m for m in places if m.group() not in _MONTHS.split()]
    if not places:
        return None
    match = chance.choice(places)
    return text[: match.start()] + chance.choice(_NAMES) + text[match.end() :]


def negation(text: str, chance: random.Random) -> str | None:  # noqa: ARG001
    for old, new in _DENIED.items():
        if old in text:
            return text.replace(old, new, 1)
    match = re.search(r"\b(is|are|was|were|may|must|can|will|has|have)\b", text)
    return f"{text[: match.end()]} not{text[match.end() :]}" if match else None


def turned(text: str, chance: random.Random) -> str | None:
    return _swapped(text, _TURNED, chance)


def duty(text: str, chance: random.Random) -> str | None:
    return None if " not" in text else _swapped(text, _OBLIGED, chance)


def widened(text: str, chance: random.Random) -> str | None:
    return _swapped(text, _WIDER, chance)


def added(text: str, chance: random.Random) -> str | None:
    return f"{text.rstrip(' .;:')}, {chance.choice(_INVENTED)}."


def exchanged(text: str, chance: random.Random) -> str | None:  # noqa: ARG001
    """Two numbers of a sentence change places."""
    places = list(_NUMBERS.finditer(text))
    if len(places) < 2:
        return None
    one, other = places[0], places[1]
    if one.group() == other.group():
        return None
    return (
        text[: one.start()] + other.group() + text[one.end() : other.start()] + one.group()
        + text[other.end() :]
    )  # fmt: skip


KINDS: dict[str, Callable[[str, random.Random], str | None]] = {
    "another number": number,
    "another unit": unit,
    "another date": date,
    "another time": time,
    "another code": code,
    "another name": name,
    "a negation more or less": negation,
    "the opposite": turned,
    "duty for leave": duty,
    "all for some": widened,
    "something added": added,
    "numbers exchanged": exchanged,
}

# -- the same in other words: these are true

_SAME = (
    (r"\bmust\b", "has to"), (r"\bmay\b", "can"), (r"\bper cent\b", "%"), (r"\bnobody\b", "no one"),
    (r"\bNobody\b", "No one"), (r"\bat once\b", "immediately"), (r"\babout\b", "roughly"),
    (r"\bmetres\b", "m"), (r"\btonnes\b", "t"), (r"\bevery twelve months\b", "every 12 months"),
    (r"\bten\b", "10"), (r"\bthree\b", "3"), (r"\bsix\b", "6"), (r"\btwenty\b", "20"),
    (r"(?<![\w.,-])2 (?=hours|days|weeks|months|nights)", "two "),
    (r"(?<![\w.,-])4 (?=hours|days|weeks|months|nights)", "four "),
    (r"\bis not allowed\b", "is forbidden"),
    (r"\bforbidden\b", "not allowed"), (r"\bgiven back\b", "returned"), (r"\bcosts\b", "comes to"),
    (r"\b(\d\d):00\b", r"\1:00 h"),
)  # fmt: skip


def reworded(text: str) -> str | None:
    new = text
    for old, other in _SAME:
        new = re.sub(old, other, new)
    return None if new == text else new


def introduced(text: str, title: str) -> str:
    first = text[0].lower() + text[1:] if not text[:2].isupper() else text
    return f"According to “{title}”, {first}"


def shortened(text: str) -> str | None:
    """A sentence without its last clause."""
    head, comma, tail = text.rpartition(", ")
    if not comma or len(head.split()) < 6 or len(tail.split()) < 3 or ", " in head:
        return None
    return head + "."
