"""What a question asks for: a kind of thing, and the words that name it."""

from __future__ import annotations

import re

from ...text import words
from .kinds import AnswerType
from .words import SMALL

_TERM = r"(?P<term>[\w./-]+(?: [\w./-]+){0,3}?)"
_ASKS_TERM = re.compile(
    rf"^\W*(?:and )?what (?:does|do) (?:an? |the )?[\"“'‘]?{_TERM}[\"”'’]? (?:mean|stand for)\b"
    rf"|^\W*(?:and )?what is (?:the (?:meaning|value|definition) of |meant by )(?:an? |the )?"
    rf"[\"“'‘]?{_TERM.replace('term', 'other')}[\"”'’]?\W*$",
    re.IGNORECASE,
)
_ARTICLE = r"(?:an? |the |eine?[rnms]? |der |die |das |den |une? |les? |la |l['’])?"
_THING_ASKED = r"(?P<thing>[\w./+-]+(?: [\w./+-]+){0,3}?)"
_USED = r"(?: (?:(?:good |used |meant )?for|about|exactly|actually))?"
_ASKS_WHAT_IT_IS = [
    re.compile(pattern, re.IGNORECASE)
    for pattern in (
        r"^\W*(?:and |so )?(?:what|who)(?:['’]s| is| are| was| were) "
        rf"{_ARTICLE}{_THING_ASKED}{_USED}\W*$",
        rf"^\W*(?:and |so )?what (?:do|does|did) {_ARTICLE}{_THING_ASKED}"
        r" (?:do|make|mean|give|offer|provide|contain|stand for)\b",
        rf"^\W*(?:please )?(?:explain|describe|define|tell me about) {_ARTICLE}{_THING_ASKED}\W*$",
        rf"^\W*was (?:ist|sind|war|macht|tut|bedeutet|heißt) {_ARTICLE}{_THING_ASKED}\W*$",
        rf"^\W*wozu (?:dient|dienen|ist) {_ARTICLE}{_THING_ASKED}(?: gut| da)?\W*$",
        r"^\W*(?:qu['’]est[- ]ce (?:que |qu['’])(?:c['’]est que )?|c['’]est quoi "
        r"|à quoi ser(?:t|vent) |que (?:fait|font|signifie|veut dire) )"
        rf"{_ARTICLE}{_THING_ASKED}\W*$",
    )
]
# A word asks at the beginning of a question or of a part of it; elsewhere it tells of a condition.
_BEGINS = (
    r"(?:^|[,;:?]|\b(?:and|or|but|since|until|till|from|by|to|at|und|oder|seit|bis|et|ou|depuis)"
    r"\b)\W*"
)
_ASKS = (
    (AnswerType.DEFINITION, _ASKS_TERM.pattern),
    (
        AnswerType.LIST,
        r"(?<!\bhow many )\bsteps?\b|\bin (?:what|which) order\b|\bwhat order\b"
        r"|\blist (?:of|all|the)\b"
        r"|\bwhat (?:must|has|have|does|do|should)\b.*"
        r"\b(?:bring|brought|show|produce|hand in|prepare)\b"
        r"|\b(?:which|what) (?:places|things|papers|documents|rules|conditions|requirements)\b"
        r"|\b(?:welche|quels|quelles) (?:schritte|unterlagen|papiere|étapes|documents|papiers)\b"
        r"|\bliste (?:der|aller|von|des|de)\b",
    ),
    (
        AnswerType.TIME_OR_LENGTH,
        r"\bhow long (?:is|are|was|were|an?)\b|\bwie lang (?:ist|sind|war)\b",
    ),
    (
        AnswerType.DURATION,
        r"\bhow (?:long|soon|quickly|far (?:ahead|before|in advance))\b"
        r"|\bwie lange\b|\b(?:combien de|quel) temps\b",
    ),
    (AnswerType.FREQUENCY, r"\bhow often\b|\bwie oft\b|\bcombien de fois\b"),
    (
        AnswerType.PAST,
        rf"{_BEGINS}(?:when|what year|which year) (?:was|were|did)\b|\bwann (?:wurde|war)"
        rf"|{_BEGINS}quand (?:a|ont|fut|était)\b",
    ),
    (AnswerType.AGE, r"\bhow old\b|\bwie alt\b|\bquel âge\b"),
    (
        AnswerType.DATE,
        rf"{_BEGINS}when\b|\bwhat time\b|\b(?:what|which) (?:date|day|year|month)s?\b"
        r"|\bwann\b|\bum wie ?viel uhr\b|\ban? welche[mn] (?:tag|jahr|monat)\b"
        rf"|{_BEGINS}quand\b|\bà quelle heure\b|\bquel(?:le)? (?:jour|date|année|mois)\b",
    ),
    (
        AnswerType.MONEY,
        r"\bhow much (?:is|are|does|do|for)\b(?!.*\b(?:weigh|hold|lift|draw|take|carry)\b)"
        r"|\bkostet\b|\bkosten\b|\b(?:preis|gebühr|miete|strafe|rabatt|zahlt|zahlen|bezahlt)\b"
        r"|\b(?:coûte|coûtent|prix|tarif|taxe|loyer|amende|paie|paient|payer|paye)\b"
        r"|\b(?:cost|costs|price|pay|pays|paid|fee|fees|charge|charges|dues|fine|salary|wages?|earns?|fare|rent"
        r"|penalty|discount|refund|deposit|spend|money|cash)\b",
    ),
    (
        AnswerType.LENGTH,
        r"\bhow (?:deep|high|tall|wide|far|thick)\b|\b(?:length|depth|height|width)\b"
        r"|\bwie (?:tief|hoch|breit|weit|dick)\b|\b(?:länge|tiefe|höhe|breite)\b"
        r"|\b(?:longueur|profondeur|hauteur|largeur)\b",
    ),
    (
        AnswerType.WEIGHT,
        r"\bhow heavy\b|\bhow much .*\b(?:weigh|lift)\b|\b(?:weight|tonnage)\b"
        r"|\bwie schwer\b|\bgewicht\b|\bpoids\b",
    ),
    (AnswerType.SPEED, r"\bhow fast\b|\bspeed\b|\bwie schnell\b|\bgeschwindigkeit\b|\bvitesse\b"),
    (
        AnswerType.WARMTH,
        r"\bhow (?:warm|cold|hot)\b|\btemperature\b|\bwie (?:warm|kalt|heiß)\b|\btemp[eé]ratur",
    ),
    (
        AnswerType.NAME,
        r"\bwho (?:is|was|are|were)\b(?! \w+ed\b)|\bname of\b|\bwhat is .* called\b"
        r"|\bwhich (?:brand|bank|firm|company|maker|make)\b"
        r"|\bwer (?:ist|war|sind|leitet)\b|\bwie heißt\b|\bqui (?:est|était|dirige)\b"
        r"|\bcomment s['’]appelle\b",
    ),
    (AnswerType.TELEPHONE, r"\b(?:tele)?phone number\b|\btelefonnummer\b|\bnuméro de téléphone\b"),
    (
        AnswerType.MAIL,
        r"\b(?:e-?)?mail address\b|\be-?mail-?adresse\b|\badresse (?:de courriel|e-?mail)\b",
    ),
    (
        AnswerType.SITE,
        r"\bweb ?(?:site|page|address)\b|\bweb-?(?:seite|adresse)\b|\bsite (?:web|internet)\b",
    ),
    (
        AnswerType.MARK,
        r"\b(?:licen[cs]e|registration|serial|account|reference|order|model|part|call)"
        r" (?:number|sign|code)\b"
        r"|\b(?:konto|kenn|bestell|serien)nummer\b|\bnuméro de (?:compte|série)\b",
    ),
    (AnswerType.COLOUR, r"\b(?:what|which) colou?rs?\b|\bwelche farbe\b|\bquelle couleur\b"),
    (AnswerType.LOCATION, rf"{_BEGINS}(?:where(?:abouts)?|wo|wohin|woher|où)\b"),
    (
        AnswerType.REASON,
        rf"{_BEGINS}(?:why|warum|weshalb|wieso|pourquoi)\b|\bfor (?:what|which) reason\b"
        r"|\bwhat (?:is|was) the (?:cause|reason)\b|\bwhat caused\b",
    ),
    (AnswerType.PERSON, rf"{_BEGINS}(?:who|whom|wer|wem|wen|qui)\b"),
    (
        AnswerType.NUMBER,
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
        AnswerType.NUMBER: "many much number large big strong exact accurate precise closely",
        AnswerType.MONEY: "much cost costs price pay pays paid charge charges fee fees spend money",
        AnswerType.DURATION: "long soon quickly time far ahead",
        AnswerType.FREQUENCY: "often",
        AnswerType.DATE: "when time date day year month",
        AnswerType.PAST: "when year",
        AnswerType.AGE: "old",
        AnswerType.LIST: "step steps list order",
        AnswerType.LENGTH: "deep high tall wide far thick long away length depth height width",
        AnswerType.TIME_OR_LENGTH: "long",
        AnswerType.WEIGHT: "heavy weight weigh much",
        AnswerType.SPEED: "fast speed",
        AnswerType.WARMTH: "warm cold hot temperature",
        AnswerType.NAME: "name called",
        AnswerType.DEFINITION: "mean stand meaning value",
        AnswerType.REASON: "reason cause caused",
        AnswerType.COLOUR: "colour color colours colors",
        AnswerType.TELEPHONE: "phone telephone number",
        AnswerType.MAIL: "mail email address",
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


def answer_type(question: str) -> AnswerType:
    """What a question asks for.

    Examples
    --------
    >>> [answer_type(text).value for text in ("How long does it stand?", "What does it cost?")]
    ['duration', 'money']
    >>> answer_type("Who pays when fuel has leaked?").value
    'person'
    """
    for kind, pattern in _QUESTIONS:
        if pattern.search(question):
            if kind is AnswerType.MONEY and not _ASKS_AMOUNT.search(question):
                continue
            return kind
    return AnswerType.ANYTHING


def asking_words(kind: AnswerType, question: str) -> list[str]:
    """The words of a question that only say what kind of thing it asks for.

    Something of that kind answers them, whether or not they stand there.

    Examples
    --------
    >>> asking_words(AnswerType.SPEED, "How fast may I drive my car?")
    ['fast']
    """
    asking = _ASKING.get(kind, frozenset())
    return [word for word in words(question) if word.casefold() in asking]


def defined_term(question: str) -> str:
    """The term whose meaning or value is asked for; empty if none is.

    Examples
    --------
    >>> defined_term("What does ATT mean?"), defined_term("What is the value of reject_m?")
    ('ATT', 'reject_m')
    """
    found = _ASKS_TERM.match(question.strip())
    return (found["term"] or found["other"]) if found else ""


def described_thing(question: str) -> str:
    """What a question wants described: what it is, does or is for; empty if it asks for no such.

    Examples
    --------
    >>> described_thing("What is a daemon?"), described_thing("What does Pageant do for me?")
    ('daemon', 'Pageant')
    >>> described_thing("Why is it so?")
    ''
    """
    for pattern in _ASKS_WHAT_IT_IS:
        if found := pattern.match(question.strip()):
            return str(found["thing"])
    return ""


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
