"""What a question asks for: a kind of thing, and the words that name it."""

from __future__ import annotations

import re

from ...text import words
from .kinds import Wanted
from .words import SMALL

_TERM = r"(?P<term>[\w./-]+(?: [\w./-]+){0,3}?)"
_ASKS_TERM = re.compile(
    rf"^\W*(?:and )?what (?:does|do) (?:an? |the )?[\"“'‘]?{_TERM}[\"”'’]? (?:mean|stand for)\b"
    rf"|^\W*(?:and )?what is (?:the (?:meaning|value|definition) of |meant by )(?:an? |the )?"
    rf"[\"“'‘]?{_TERM.replace('term', 'other')}[\"”'’]?\W*$",
    re.IGNORECASE,
)
# A word asks at the beginning of a question or of a part of it; elsewhere it tells of a condition.
_BEGINS = (
    r"(?:^|[,;:?]|\b(?:and|or|but|since|until|till|from|by|to|at|und|oder|seit|bis|et|ou|depuis)"
    r"\b)\W*"
)
_ASKS = (
    (Wanted.DEFINITION, _ASKS_TERM.pattern),
    (
        Wanted.LIST,
        r"(?<!\bhow many )\bsteps?\b|\bin (?:what|which) order\b|\bwhat order\b"
        r"|\blist (?:of|all|the)\b"
        r"|\bwhat (?:must|has|have|does|do|should)\b.*"
        r"\b(?:bring|brought|show|produce|hand in|prepare)\b"
        r"|\b(?:which|what) (?:places|things|papers|documents|rules|conditions|requirements)\b"
        r"|\b(?:welche|quels|quelles) (?:schritte|unterlagen|papiere|étapes|documents|papiers)\b"
        r"|\bliste (?:der|aller|von|des|de)\b",
    ),
    (
        Wanted.TIME_OR_LENGTH,
        r"\bhow long (?:is|are|was|were|an?)\b|\bwie lang (?:ist|sind|war)\b",
    ),
    (
        Wanted.DURATION,
        r"\bhow (?:long|soon|quickly|far (?:ahead|before|in advance))\b"
        r"|\bwie lange\b|\b(?:combien de|quel) temps\b",
    ),
    (Wanted.FREQUENCY, r"\bhow often\b|\bwie oft\b|\bcombien de fois\b"),
    (
        Wanted.PAST,
        rf"{_BEGINS}(?:when|what year|which year) (?:was|were|did)\b|\bwann (?:wurde|war)"
        rf"|{_BEGINS}quand (?:a|ont|fut|était)\b",
    ),
    (Wanted.AGE, r"\bhow old\b|\bwie alt\b|\bquel âge\b"),
    (
        Wanted.DATE,
        rf"{_BEGINS}when\b|\bwhat time\b|\b(?:what|which) (?:date|day|year|month)s?\b"
        r"|\bwann\b|\bum wie ?viel uhr\b|\ban? welche[mn] (?:tag|jahr|monat)\b"
        rf"|{_BEGINS}quand\b|\bà quelle heure\b|\bquel(?:le)? (?:jour|date|année|mois)\b",
    ),
    (
        Wanted.MONEY,
        r"\bhow much (?:is|are|does|do|for)\b(?!.*\b(?:weigh|hold|lift|draw|take|carry)\b)"
        r"|\bkostet\b|\bkosten\b|\b(?:preis|gebühr|miete|strafe|rabatt|zahlt|zahlen|bezahlt)\b"
        r"|\b(?:coûte|coûtent|prix|tarif|taxe|loyer|amende|paie|paient|payer|paye)\b"
        r"|\b(?:cost|costs|price|pay|pays|paid|fee|fees|charge|charges|dues|fine|salary|wages?|earns?|fare|rent"
        r"|penalty|discount|refund|deposit|spend|money|cash)\b",
    ),
    (
        Wanted.LENGTH,
        r"\bhow (?:deep|high|tall|wide|far|thick)\b|\b(?:length|depth|height|width)\b"
        r"|\bwie (?:tief|hoch|breit|weit|dick)\b|\b(?:länge|tiefe|höhe|breite)\b"
        r"|\b(?:longueur|profondeur|hauteur|largeur)\b",
    ),
    (
        Wanted.WEIGHT,
        r"\bhow heavy\b|\bhow much .*\b(?:weigh|lift)\b|\b(?:weight|tonnage)\b"
        r"|\bwie schwer\b|\bgewicht\b|\bpoids\b",
    ),
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
    (Wanted.TELEPHONE, r"\b(?:tele)?phone number\b|\btelefonnummer\b|\bnuméro de téléphone\b"),
    (
        Wanted.MAIL,
        r"\b(?:e-?)?mail address\b|\be-?mail-?adresse\b|\badresse (?:de courriel|e-?mail)\b",
    ),
    (
        Wanted.SITE,
        r"\bweb ?(?:site|page|address)\b|\bweb-?(?:seite|adresse)\b|\bsite (?:web|internet)\b",
    ),
    (
        Wanted.MARK,
        r"\b(?:licen[cs]e|registration|serial|account|reference|order|model|part|call)"
        r" (?:number|sign|code)\b"
        r"|\b(?:konto|kenn|bestell|serien)nummer\b|\bnuméro de (?:compte|série)\b",
    ),
    (Wanted.COLOUR, r"\b(?:what|which) colou?rs?\b|\bwelche farbe\b|\bquelle couleur\b"),
    (Wanted.PLACE, rf"{_BEGINS}(?:where(?:abouts)?|wo|wohin|woher|où)\b"),
    (
        Wanted.REASON,
        rf"{_BEGINS}(?:why|warum|weshalb|wieso|pourquoi)\b|\bfor (?:what|which) reason\b"
        r"|\bwhat (?:is|was) the (?:cause|reason)\b|\bwhat caused\b",
    ),
    (Wanted.PERSON, rf"{_BEGINS}(?:who|whom|wer|wem|wen|qui)\b"),
    (
        Wanted.NUMBER,
        r"\bhow (?:many|much|deep|far|high|tall|fast|wide|heavy|warm|large|big|old|strong"
        r"|exact|accurate|precise|closely|near|close)\b"
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
# Words that say what kind of thing is asked for, and nothing else of the question.
_ASKING = {
    kind: frozenset(own.split())
    for kind, own in {
        Wanted.NUMBER: "many much number large big strong exact accurate precise closely",
        Wanted.MONEY: "much cost costs price pay pays paid charge charges fee fees spend money",
        Wanted.DURATION: "long soon quickly time far ahead",
        Wanted.FREQUENCY: "often",
        Wanted.DATE: "when time date day year month",
        Wanted.PAST: "when year",
        Wanted.AGE: "old",
        Wanted.LIST: "step steps list order",
        Wanted.LENGTH: "deep high tall wide far thick long away length depth height width",
        Wanted.TIME_OR_LENGTH: "long",
        Wanted.WEIGHT: "heavy weight weigh much",
        Wanted.SPEED: "fast speed",
        Wanted.WARMTH: "warm cold hot temperature",
        Wanted.NAME: "name called",
        Wanted.DEFINITION: "mean stand meaning value",
        Wanted.REASON: "reason cause caused",
        Wanted.COLOUR: "colour color colours colors",
        Wanted.TELEPHONE: "phone telephone number",
        Wanted.MAIL: "mail email address",
    }.items()
}
_THING = rf"(?!(?:{SMALL})\b)[\w-]+"
_HOW_MANY = re.compile(
    rf"\b(?:how many|wie ?viele?|combien d['’e] ?(?!temps|fois))\s?({_THING}(?: {_THING}){{0,2}})",
    re.IGNORECASE,
)
_WHO_DOES = re.compile(
    rf"\b(?:who|whom)(?: (?:{SMALL}|one|else|usually|allowed))* ([a-z]\w+)", re.IGNORECASE
)
_LIGHT = re.compile("(?:gets?|got|makes?|made|takes?|took|runs?|ran|goes|needs?|uses?|keeps?)")
_NAMING = (  # the thing is the last word of each group
    r"^\W*(?:and |so )?(?:(?:in|on|at|to|from|by|under|with|for|of|until|since) )?"
    rf"(?:which|what|whose) (?:of the )?(?!(?:kind|sort|type|way|time|happens?)\b)({_THING})",
    r"^\W*(?:and |so )?(?:is|are|was|were) there (?:(?:any|some|an?|the) )?"
    rf"({_THING}(?: {_THING})?)",
    r"^\W*(?:and |so )?(?:do|does|did|can|could|may) "
    r".*\b(?:have|sell|offer|hire|rent|buy|provide|serve|own) (?:out )?"
    rf"(?:(?:any|some|an?|the|its|their) )?({_THING}(?: {_THING})?)",
)
_NAMED_THINGS = [re.compile(pattern, re.IGNORECASE) for pattern in _NAMING]


def wanted(question: str) -> Wanted:
    """What a question asks for.

    Examples
    --------
    >>> wanted("How long does an offer stand?").value, wanted("What does a yacht pay?").value
    ('duration', 'money')
    >>> wanted("Who pays when fuel has leaked?").value
    'person'
    """
    for kind, pattern in _QUESTIONS:
        if pattern.search(question):
            if kind is Wanted.MONEY and not _ASKS_AMOUNT.search(question):
                continue
            return kind
    return Wanted.ANYTHING


def asking_words(kind: Wanted, question: str) -> list[str]:
    """The words of a question that only say what kind of thing it asks for.

    Something of that kind answers them, whether or not they stand there.

    Examples
    --------
    >>> asking_words(Wanted.SPEED, "How fast may I drive my car?")
    ['fast']
    """
    own = _ASKING.get(kind, frozenset())
    return [word for word in words(question) if word.casefold() in own]


def defined_term(question: str) -> str:
    """The term whose meaning or value is asked for; empty if none is.

    Examples
    --------
    >>> defined_term("What does ATT mean?"), defined_term("What is the value of reject_m?")
    ('ATT', 'reject_m')
    """
    found = _ASKS_TERM.match(question.strip())
    return (found["term"] or found["other"]) if found else ""


def counted_thing(question: str) -> str:
    """What a question asks the number of, in one word; empty if it asks for none.

    Examples
    --------
    >>> counted_thing("How many parking places are there?"), counted_thing("Where is it?")
    ('places', '')
    """
    found = _HOW_MANY.search(question)
    if not found:
        return ""
    named = found[1].split()
    several = [word for word in named if word.endswith("s") and not word.endswith("ss")]
    return (several or [word for word in named if word[:1].isupper()] or named[:1])[-1]


def deed_of(question: str) -> str:
    """What somebody does, or what is done to them, who is asked for; empty if nobody is.

    Nor is it told by a verb that says little, such as "gets".

    Examples
    --------
    >>> deed_of("Who leads a search?"), deed_of("Who was buried here?"), deed_of("Where is it?")
    ('leads', 'buried', '')
    """
    found = _WHO_DOES.search(question)
    return found[1] if found and not _LIGHT.fullmatch(found[1]) else ""


def named_thing(question: str) -> str:
    """What a question asks for by its name: which crane, or whether there is a sauna; else empty.

    Examples
    --------
    >>> named_thing("Which crane is it?"), named_thing("Is there a sauna?"), named_thing("Why?")
    ('crane', 'sauna', '')
    """
    for pattern in _NAMED_THINGS:
        if found := pattern.search(question):
            return str(found[1].split()[-1])
    return ""
