"""What kind of thing a question asks for, as far as its words say, and what holds such a thing."""

from __future__ import annotations

import re
from collections.abc import Callable
from enum import Enum

from ..text import words


class Wanted(Enum):
    """A kind of thing that can be told by its form."""

    ANYTHING = "anything"
    NUMBER = "number"
    MONEY = "money"
    DURATION = "duration"
    FREQUENCY = "frequency"
    DATE = "date"
    LIST = "list"
    LENGTH = "length"
    WEIGHT = "weight"
    SPEED = "speed"
    WARMTH = "warmth"
    TIME_OR_LENGTH = "time or length"
    NAME = "name"
    DEFINITION = "definition"


# Words of all languages stand together: a question and what answers it may be in any of them.
_NUMBER_WORDS = (
    "one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|fifteen|twenty|thirty|forty"
    "|fifty|sixty|seventy|eighty|ninety|hundred|thousand"
    "|zwei|drei|vier|fünf|sechs|sieben|acht|neun|zehn|elf|zwölf|fünfzehn|zwanzig|dreißig|vierzig"
    "|fünfzig|sechzig|hundert|tausend"
    r"|\w+und(?:zwanzig|dreißig|vierzig|fünfzig|sechzig|siebzig|achtzig|neunzig)"
    "|deux|trois|quatre|cinq|sept|huit|neuf|dix|onze|douze|quinze|vingt|trente|quarante|cinquante"
)
_MONTHS = (
    "january|february|march|april|may|june|july|august|september|october|november|december"
    "|januar|februar|märz|mai|juni|juli|oktober|dezember"
    "|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre"
)
_DAYS = (
    "monday|tuesday|wednesday|thursday|friday|saturday|sunday"
    "|montags?|dienstags?|mittwochs?|donnerstags?|freitags?|samstags?|sonntags?|werktags"
    "|lundi|mardi|mercredi|jeudi|vendredi|samedi|dimanche"
)
_SPANS = (
    "seconds?|minutes?|hours?|days?|nights?|weeks?|fortnights?|months?|years?|seasons?"
    "|sekunden?|minuten?|stunden?|tage[ns]?|nächten?|wochen?|monate?[ns]?|jahre?[ns]?"
    "|secondes?|heures?|jours?|nuits?|semaines?|mois|ans|années?"
)

_TERM = r"(?P<term>[\w./-]+(?: [\w./-]+){0,3}?)"
_ASKS_TERM = re.compile(
    rf"^\W*(?:and )?what (?:does|do) (?:an? |the )?[\"“'‘]?{_TERM}[\"”'’]? (?:mean|stand for)\b"
    rf"|^\W*(?:and )?what is (?:the (?:meaning|value|definition) of |meant by )(?:an? |the )?"
    rf"[\"“'‘]?{_TERM.replace('term', 'other')}[\"”'’]?\W*$",
    re.IGNORECASE,
)
_ASKS = (
    (Wanted.DEFINITION, _ASKS_TERM.pattern),
    (
        Wanted.LIST,
        r"\bsteps?\b|\bstep by step\b|\bin (?:what|which) order\b|\bwhat order\b"
        r"|\blist (?:of|all|the)\b"
        r"|\bwhat (?:must|has|have|does|do|should)\b.*"
        r"\b(?:bring|brought|show|produce|hand in|prepare)\b"
        r"|\b(?:which|what) (?:places|things|papers|documents|rules|conditions|requirements)\b"
        r"|\b(?:welche|quels|quelles) (?:schritte|unterlagen|papiere|étapes|documents|papiers)\b"
        r"|\bliste (?:der|aller|von|des|de)\b",
    ),
    (Wanted.TIME_OR_LENGTH, r"\bhow long (?:is|are|was|were)\b|\bwie lang (?:ist|sind|war)\b"),
    (
        Wanted.DURATION,
        r"\bhow (?:long|soon|quickly)\b|\bwie lange\b|\b(?:combien de|quel) temps\b",
    ),
    (Wanted.FREQUENCY, r"\bhow often\b|\bwie oft\b|\bcombien de fois\b"),
    (
        Wanted.DATE,
        r"\bwhen\b|\bwhat time\b|\b(?:what|which) (?:date|day|year|month)s?\b"
        r"|\bwann\b|\bum wie ?viel uhr\b|\ban? welche[mn] (?:tag|jahr|monat)\b"
        r"|\bquand\b|\bà quelle heure\b|\bquel(?:le)? (?:jour|date|année|mois)\b",
    ),
    (
        Wanted.MONEY,
        r"\bhow much (?:is|are|does|do|for)\b(?!.*\b(?:weigh|hold|lift|draw|take|carry)\b)"
        r"|\bkostet\b|\bkosten\b|\b(?:preis|gebühr|miete|strafe|rabatt|zahlt|zahlen|bezahlt)\b"
        r"|\b(?:coûte|coûtent|prix|tarif|taxe|loyer|amende|paie|paient|payer|paye)\b"
        r"|\b(?:cost|costs|price|pay|pays|paid|fee|fees|charge|charges|dues|fine|salary|fare|rent"
        r"|penalty|discount|refund|deposit|spend|money|cash)\b",
    ),
    (
        Wanted.LENGTH,
        r"\bhow (?:deep|high|tall|wide|far|thick)\b|\b(?:length|depth|height|width)\b"
        r"|\bwie (?:tief|hoch|breit|weit|dick)\b|\b(?:länge|tiefe|höhe|breite)\b"
        r"|\b(?:longueur|profondeur|hauteur|largeur)\b",
    ),
    (Wanted.WEIGHT, r"\bhow heavy\b|\b(?:weight|tonnage)\b|\bwie schwer\b|\bgewicht\b|\bpoids\b"),
    (Wanted.SPEED, r"\bhow fast\b|\bspeed\b|\bwie schnell\b|\bgeschwindigkeit\b|\bvitesse\b"),
    (
        Wanted.WARMTH,
        r"\bhow (?:warm|cold|hot)\b|\btemperature\b|\bwie (?:warm|kalt|heiß)\b|\btemp[eé]ratur",
    ),
    (
        Wanted.NAME,
        r"\bwho (?:is|was|are|were)\b(?! \w+ed\b)|\bname of\b|\bwhat is .* called\b"
        r"|\bwhich (?:brand|bank|firm|company|maker|make)\b"
        r"|\bwer (?:ist|war|sind|leitet)\b|\bwie heißt\b|\bqui (?:est|était|dirige)\b"
        r"|\bcomment s['’]appelle\b",
    ),
    (
        Wanted.NUMBER,
        r"\bhow (?:many|much|deep|far|high|tall|fast|wide|heavy|warm|large|big|old|strong)\b"
        r"|\b(?:speed|limit|length|depth|height|value|capacity|load|draught|number|percentage)\b"
        r"|\bwie ?viele?\b|\bcombien\b",
    ),
)
_QUESTIONS = [(kind, re.compile(pattern, re.IGNORECASE)) for kind, pattern in _ASKS]
_ASKS_AMOUNT = re.compile(
    r"^\s*(?:and |und |et )?(?:how|what|which|wie|combien|que|quel|quelle|welche[nrs]?"
    r"|was (?:kostet|kosten|zahlt|zahlen|bezahlt))\b",
    re.IGNORECASE,
)

_SIZES = (
    r"(?:m|metres?|meters?|metern|mètres?|km|kilometres?|miles?|cm|centimetres?|mm|feet|foot"
    r"|inch(?:es)?)\b"
)
_HOLDS = {
    Wanted.LENGTH: rf"\d[\d,.]*\s*-?{_SIZES}|\b(?:{_NUMBER_WORDS})[\s-]+{_SIZES}",
    Wanted.WEIGHT: rf"(?:\d|\b(?:{_NUMBER_WORDS}))[\d,.]*\s*-?"
    r"(?:t|tonnes?|tons?|tonnen|kg|kilos?|kilograms?|kilogramm|g)\b",
    Wanted.SPEED: rf"(?:\d|\b(?:{_NUMBER_WORDS}))[\d,.]*\s*-?"
    r"(?:knots?|kn|knoten|n(?:œ|oe)uds?|km/h|mph|miles per hour)",
    Wanted.WARMTH: r"\bdegrees?\b|°|\b(?:grad|degrés?)\b",
    Wanted.NUMBER: rf"\d|\b(?:{_NUMBER_WORDS})\b",
    Wanted.MONEY: r"\d+\.\d\d\b|[€$£%]"
    r"|\b(?:crowns?|euros?|pounds?|dollars?|cents?|free|nothing|per cent"
    r"|kronen?|kostenlos|umsonst|prozent|couronnes?|gratuite?s?|pour cent)\b",
    Wanted.DURATION: rf"(?:\d|\b(?:{_NUMBER_WORDS}|half|an?|few|several|eine?[mnr]?|une?)\b)"
    r"[\w\s,½¼-]{0,14}?"
    rf"\b(?:{_SPANS})\b",
    Wanted.FREQUENCY: rf"\b(?:every|each|once|twice|daily|weekly|monthly|quarterly|yearly|annually)"
    rf"\b|\btimes? an? (?:{_SPANS})\b|\bon (?:{_DAYS})s\b"
    r"|\b(?:jede[nrs]?|alle|(?:ein|zwei|drei)mal|(?:täg|wöchent|monat|jähr)lich)\b"
    r"|\b(?:chaque|tou(?:s|tes) les|(?:une|deux|trois) fois)\b",
    Wanted.DATE: rf"\b\d{{1,2}}[:.]\d{{2}}\b|\b(?:1[5-9]|20)\d\d\b|\b(?:{_MONTHS}|{_DAYS})\b"
    r"|\bnoon\b|\bmidnight\b|\bat once\b"
    rf"|\b(?:\d{{1,2}}|{_NUMBER_WORDS}) (?:uhr|heures?)\b|\b\d{{1,2}}h\d\d\b"
    r"|\b(?:mittags?|mitternacht|sofort|midi|minuit)\b",
}
_HOLDERS = {kind: re.compile(pattern, re.IGNORECASE) for kind, pattern in _HOLDS.items()}
_NAMED = re.compile(
    r"(?<=[a-z,;:] )(?:\b[A-Z][\w'’-]+)(?: [A-Z][\w'’-]+)*|[\"“*][A-Z][^\"”*]+[\"”*]"
)
_HOW_MANY = re.compile(
    r"\b(?:how many|wie ?viele|combien d['’e] ?(?!temps|fois))\s?((?:\w+)(?: \w+)?)", re.IGNORECASE
)
_NUMERAL = re.compile(rf"\d|(?:{_NUMBER_WORDS})(?:-\w+)?$", re.IGNORECASE)
_BETWEEN = 3  # words between a number and what it counts
_CODE = re.compile(r"\b(?:[A-Za-z]{1,6}[-/]?\d[\w/-]*|\d+[A-Z])\b")
_AMOUNT = re.compile(
    r"(\d+(?:[.,]\d+)?)\s*-?\s*"
    r"(m|metres?|meters?|metern|mètres?|t|tonnes?|tonnen|knots?|knoten|litres?|liter)\b",
    re.I,
)
_MORE_THAN = re.compile(
    r"\b(?:over|above|more than|longer than|deeper than|über|mehr als|länger als|plus de)\s+$", re.I
)
_TRACE = 1e-6
_RANGE = re.compile(
    r"(?:(?:over|über|plus de) (\d+(?:\.\d+)?) ?(\w+)?,? )?(?:up to|bis(?: zu)?|jusqu['’]à) "
    r"(\d+(?:\.\d+)?) ?(\w+)|(?:over|über|plus de) (\d+(?:\.\d+)?) ?(\w+)"
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


def has_wanted(kind: Wanted, text: str, *, item: bool = False, asked: str = "") -> bool:
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
    >>> has_wanted(Wanted.LENGTH, "She is 19.8 m long."), has_wanted(Wanted.WEIGHT, "In 1990.")
    (True, False)
    """
    if kind is Wanted.LIST:
        return item
    if kind is Wanted.DEFINITION:
        return defines(text, defined_term(asked))
    if kind is Wanted.NAME:
        own = asked.casefold()
        return any(match.group().casefold() not in own for match in _NAMED.finditer(text))
    if kind is Wanted.TIME_OR_LENGTH:
        return has_wanted(Wanted.DURATION, text) or has_wanted(Wanted.LENGTH, text)
    holder = _HOLDERS.get(kind)
    return holder is None or holder.search(text) is not None


def defined_term(question: str) -> str:
    """The term whose meaning or value is asked for; empty if none is.

    Examples
    --------
    >>> defined_term("What does ATT mean?"), defined_term("What is the value of reject_m?")
    ('ATT', 'reject_m')
    """
    found = _ASKS_TERM.match(question.strip())
    return (found["term"] or found["other"]) if found else ""


def defines(text: str, term: str) -> bool:
    """Whether a text begins with a term and then says what it is, or names it in brackets.

    Examples
    --------
    >>> defines("- **ATT**: apparent time of turn", "att"), defines("reject_m = 0.35", "reject_m")
    (True, True)
    >>> defines("Ask for the ATT before you sail.", "ATT")
    False
    """
    if not term:
        return False
    own = rf"[\W_]*{re.escape(term)}[\W_]*?"
    then = r"(?:[:=|–—]|\((?!\))|,|\b(?:is|are|means|stands for)\b)"
    said = rf"^(?:the |an? )?{own}(?:\*\*|__|`|[\"”’])?\s*{then}"
    set_to = rf"^\W*{re.escape(term)}\W*?[:=]"  # in a line of code
    long_form = rf"^\W*(?:\w+ ){{1,6}}\({re.escape(term)}\)"
    return (
        re.search(said, text.strip(), re.I) is not None
        or re.search(set_to, text, re.I | re.M) is not None
        or re.search(long_form, text, re.I) is not None
    )


def counted_thing(question: str) -> str:
    """What a question asks the number of, as written; empty if it asks for none.

    Examples
    --------
    >>> counted_thing("How many parking places are there?"), counted_thing("Where is it?")
    ('parking places', '')
    """
    found = _HOW_MANY.search(question)
    return found[1] if found else ""


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


def codes_in(text: str) -> frozenset[str]:
    """Codes of letters and figures in a text, folded: ``BL-60``, ``F-17``, ``E14``.

    Examples
    --------
    >>> sorted(codes_in("What is form F-17, and BL-60?"))
    ['bl-60', 'f-17']
    """
    return frozenset(match.group().casefold() for match in _CODE.finditer(text))


def amounts_in(text: str) -> list[tuple[float, str]]:
    """Amounts with the first letter of their unit: ``9 metre`` is ``(9.0, 'm')``.

    One that is said to be over something is a trace more than that.

    Examples
    --------
    >>> in_range(amounts_in("a berth of over 18 m"), "| over 12 m, up to 18 m | 22 |")
    0.0
    """
    found = []
    for match in _AMOUNT.finditer(text):
        trace = _TRACE if _MORE_THAN.search(text[: match.start()]) else 0.0
        found.append((float(match[1].replace(",", ".")) + trace, match[2][0].lower()))
    return found


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
