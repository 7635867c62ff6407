"""What holds a kind of thing: whether a text has a date, a place, a price."""

from __future__ import annotations

import re
from collections.abc import Callable

from ...text import words
from .asked import defined_term
from .kinds import AnswerType
from .words import ANY_PEOPLE, COLOURS, DAYS, MONTHS, NUMBERS, PEOPLE, PLACES, SIZES, SPANS

_NUMBER = rf"(?:\d|\b(?:{NUMBERS}))[\d,.]*\s*-?"
# "a day", but not that of "two tides a day"
_ONE = r"(?:(?<!s )(?<!\d )(?<!once )(?<!twice )|(?<=lasts )|(?<=takes ))an?"
_LOCATION = rf"(?:(?-i:[A-Z])\w+|(?:{PLACES})\b)"
_HOLDS = {
    AnswerType.LENGTH: r"\bminutes (?:on foot|walk|away)\b"
    rf"|_(?:m|km|cm)\b\W*\d|\d[\d,.]*\s*-?{SIZES}|\b(?:{NUMBERS})[\s-]+{SIZES}",
    AnswerType.WEIGHT: rf"{_NUMBER}(?:t|tonnes?|tons?|tonnen|kg|kilos?|kilograms?|kilogramm|g)\b",
    AnswerType.SPEED: rf"{_NUMBER}(?:knots?|kn|knoten|n(?:œ|oe)uds?|km/h|mph|miles per hour)",
    AnswerType.WARMTH: r"\bdegrees?\b|°|\b(?:grad|degrés?)\b",
    AnswerType.NUMBER: rf"\d|\b(?:{NUMBERS})\b",
    AnswerType.MONEY: r"\d+\.\d\d\b|[€$£%]"
    r"|\b(?:crowns?|euros?|pounds?|dollars?|cents?|free|nothing|per cent"
    r"|kronen?|kostenlos|umsonst|prozent|couronnes?|gratuite?s?|pour cent)\b",
    AnswerType.DURATION: rf"\bhalf an? (?:{SPANS})\b|(?<!every )(?<!each )"
    rf"(?:(?<![\d:.,])\d|\b(?:{NUMBERS}|half|{_ONE}|few|several|eine?[mnr]?|une?)\b)"
    rf"(?:(?! an? | per )[\w\s,½¼-]){{0,14}}?\b(?:{SPANS})\b",
    AnswerType.FREQUENCY: r"\b(?:every|each|once|twice|daily|weekly|monthly|quarterly|yearly"
    rf"|annually)\b|\btimes? an? (?:{SPANS})\b|\bon (?:{DAYS})s\b"
    r"|\b(?:jede[nrs]?|alle|(?:ein|zwei|drei)mal|(?:täg|wöchent|monat|jähr)lich)\b"
    r"|\b(?:chaque|tou(?:s|tes) les|(?:une|deux|trois) fois)\b",
    AnswerType.DATE: rf"\b\d{{1,2}}[:.]\d{{2}}\b|\b(?:1[5-9]|20)\d\d\b|\b(?:{MONTHS}|{DAYS})\b"
    r"|\bnoon\b|\bmidnight\b|\bat once\b"
    r"|^\W*(?:when(?:ever)?|if|as soon as|during|while|wenn|sobald|während|quand|lorsque|dès que)\b"
    rf"|\b(?:\d{{1,2}}|{NUMBERS}) (?:uhr|heures?)\b|\b\d{{1,2}}h\d\d\b"
    r"|\b(?:mittags?|mitternacht|sofort|midi|minuit)\b",
    AnswerType.PAST: r"\b(?:1[5-9]|20)\d\d\b"
    rf"|\b(?:\d{{1,2}}\.?|first|second|third|\w+th)(?: of)? (?:{MONTHS})\b"
    r"|\b(?:ago|century|centuries|yesterday|last (?:week|month|year|summer|winter))\b"
    r"|\bvor \w+ (?:jahren|monaten|tagen)\b|\bil y a\b|\b(?:jahrhundert|siècle)\b",
    AnswerType.AGE: rf"\b(?:1[5-9]|20)\d\d\b|\b(?:\d+|{NUMBERS}) (?:years?|jahre?|ans)\b"
    rf"|\b(?:is|are|was|aged?|ist|est) (?:\d+|{NUMBERS})\b",
    AnswerType.LOCATION: r"\b(?:at|in|on|beside|behind|near|opposite|under|below|above|between"
    r"|outside|inside|next to|by|from|to|through|along|against|of"
    r"|im|am|an|auf|bei|neben|hinter|vor|unter|zwischen"
    rf"|à|au|aux|dans|sur|près d[eu]|derrière|devant|sous) (?:[\w’']+ ){{0,3}}{_LOCATION}"
    rf"|https?://|[|:] *[^|:]*\b{_LOCATION}",
    AnswerType.REASON: r"\b(?:because|since|due to|owing to|so that|so as to|in order to|therefore"
    r"|caused?|causes|reasons?|why|as a result|had|would|failed|for fear"
    r"|to (?:avoid|keep|prevent|protect|save|let)"
    r"|weil|denn|damit|wegen|grund|daher|deshalb|parce que|car|afin|à cause|raison)\b",
    AnswerType.COLOUR: rf"\b{COLOURS}\b",
    AnswerType.TELEPHONE: r"\+?\d[\d \-/()]{4,}\d",
    AnswerType.MAIL: r"\w@\w",
    AnswerType.SITE: r"https?://|\bwww\.|\b[\w-]+\.[a-z]{2,7}\b(?!\.)",
    AnswerType.MARK: r"\b[A-Z]{1,6}[-/ ]?\d[\w/-]*|\b\d{4,}\b|\b\d{3}[ /-]\d{2}",
}
_HOLDERS = {kind: re.compile(pattern, re.IGNORECASE) for kind, pattern in _HOLDS.items()}
# What a heading or a header row says of the numbers below it.
_ABOVE = {
    kind: re.compile(pattern, re.IGNORECASE)
    for kind, pattern in {
        AnswerType.MONEY: r"\b(?:crowns?|euros?|costs?|prices?|fees?|amount"
        r"|kronen|kosten|preis|couronnes|prix)\b|[€$£]",
        AnswerType.LENGTH: r"\b(?:m|metres?|meters?|length|depth|height|width|feet|km)\b",
        AnswerType.TIME_OR_LENGTH: rf"\b(?:m|metres?|length|{SPANS})\b",
        AnswerType.DURATION: rf"\b(?:{SPANS})\b",
        AnswerType.FREQUENCY: r"\b(?:every|intervals?|how often|each)\b",
        AnswerType.WEIGHT: r"\b(?:t|tonnes?|kg|weight|load)\b",
        AnswerType.SPEED: r"\b(?:knots?|speed|km/h)\b",
    }.items()
}
_NAMED = re.compile(
    r"(?<=[a-z,;:] )(?:\b[A-Z][\w'’-]+)(?: [A-Z][\w'’-]+)*|[\"“*][A-Z][^\"”*]*[a-z][^\"”*]*[\"”*]"
)
_ANY_PEOPLE = re.compile(ANY_PEOPLE, re.IGNORECASE)
_PEOPLE = re.compile(PEOPLE, re.IGNORECASE)
_NUMERAL = re.compile(rf"\d|(?:{NUMBERS})(?:-\w+)?$", re.IGNORECASE)
_BETWEEN = 3  # words between a number, a colour or a name and the thing


def has_answer_type(kind: AnswerType, text: str, *, item: bool = False, asked: str = "") -> bool:
    """Whether a text holds something of the kind asked for.

    Parameters
    ----------
    kind : Wanted
    text : str
    item : bool, default False
        Whether the text is an item of a list.
    asked : str, default ""
        The question: a name it says itself is not the one it asks for.

    Examples
    --------
    >>> has_answer_type(AnswerType.LENGTH, "She is 19.8 m long.")
    True
    >>> has_answer_type(AnswerType.LOCATION, "Never mind.")
    False
    """
    if kind is AnswerType.LIST:
        return item
    if kind is AnswerType.DEFINITION:
        return defines(text, defined_term(asked))
    if kind is AnswerType.NAME:
        return _names_other(text, asked)
    if kind is AnswerType.TIME_OR_LENGTH:
        return has_answer_type(AnswerType.DURATION, text) or has_answer_type(
            AnswerType.LENGTH, text
        )
    holder = _HOLDERS.get(kind)
    return holder is None or holder.search(text) is not None


def _names_other(text: str, asked: str) -> bool:
    """Whether a text has a name that the question has not, near a word that it has."""
    asked_words = {word.casefold() for word in words(asked)}
    flat = " ".join(text.split())
    for match in _NAMED.finditer(flat):
        if asked_words.isdisjoint(word.casefold() for word in words(match.group())):
            before, after = words(flat[: match.start()])[-_BETWEEN:], words(flat[match.end() :])
            if any(word.casefold() in asked_words for word in [*before, *after[:_BETWEEN]]):
                return True
    return False


def measured_above(kind: AnswerType, row: str, context_header: str) -> bool:
    """Whether a row has a number, and what stands over it says that it is of some kind.

    Examples
    --------
    >>> measured_above(AnswerType.MONEY, "Fenders | 22,400", "Works | crowns")
    True
    """
    pattern = _ABOVE.get(kind)
    return (
        pattern is not None and any(map(str.isdigit, row)) and bool(pattern.search(context_header))
    )


def defines(text: str, term: str) -> bool:
    """Whether a text begins with a term and then says what it is, or names it in brackets.

    Examples
    --------
    >>> defines("- **ATT**: apparent time of turn", "att"), defines("reject_m = 0.35", "reject_m")
    (True, True)
    >>> defines("`E30 queue`: too many lines wait.", "E30")
    True
    >>> defines("Ask for the ATT before you sail.", "ATT")
    False
    """
    if not term:
        return False
    quoted = rf"[`*_]{re.escape(term)}(?: \w+){{1,2}}(?=[`*_])"
    name = rf"[\W_]*(?:{quoted}|{re.escape(term)})[\W_]*?"
    then = r"(?:[:=|–—]|\((?!\))|,|\b(?:is|are|means|stands for)\b)"
    said = rf"^(?:the |an? )?{name}(?:\*\*|__|`|[\"”’])?\s*{then}"
    set_to = rf"^\W*{re.escape(term)}\W*?[:=]"  # in a line of code
    long_form = rf"^\W*(?:\w+ ){{1,6}}\({re.escape(term)}\)"
    return (
        re.search(said, text.strip(), re.I) is not None
        or re.search(set_to, text, re.I | re.M) is not None
        or re.search(long_form, text, re.I) is not None
    )


def beside(kind: AnswerType, text: str, thing: Callable[[str], bool]) -> bool:
    """Whether a text has a word of a kind near one that is the thing asked about.

    Examples
    --------
    >>> beside(AnswerType.COLOUR, "The boat is painted red.", lambda word: word == "boat")
    True
    >>> beside(AnswerType.COLOUR, "A red lamp lies in the boat.", lambda word: word == "boat")
    False
    """
    found = words(text)
    things = [at for at, word in enumerate(found) if thing(word)]
    return any(
        abs(at - other) <= _BETWEEN
        for at, word in enumerate(found)
        if _HOLDERS[kind].fullmatch(word)
        for other in things
    )


def are_people(word: str, other: str) -> bool:
    """Whether two words stand for people, one of them for people of any sort.

    Examples
    --------
    >>> are_people("people", "passengers"), are_people("members", "passengers")
    (True, False)
    """
    both = _PEOPLE.fullmatch(word) and _PEOPLE.fullmatch(other)
    return bool(both and (_ANY_PEOPLE.fullmatch(word) or _ANY_PEOPLE.fullmatch(other)))


def counts(text: str, thing: Callable[[str], bool]) -> bool:
    """Whether a text has a number just before a word that is the thing asked about.

    Examples
    --------
    >>> counts("There are forty-two free berths.", lambda word: word.startswith("berth"))
    True
    >>> counts("Berth 14 is free.", lambda word: word.startswith("berth"))
    False
    """
    found = words(text)
    for at, word in enumerate(found):
        if _NUMERAL.match(word) and any(map(thing, found[at + 1 : at + 2 + _BETWEEN])):
            return True
    return False
