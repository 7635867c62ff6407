"""The plain forms of English sentences that say something of a named thing."""

from __future__ import annotations

import re
from functools import lru_cache

LONGEST_NAME = 60  # characters
LONGEST_VALUE = 160
_ARTICLE = r"(?:(?i:The|An?|Each|Every)\s+)?"
_SUBJECT = r"(?P<subject>-{0,2}[^\W\d][\w'’./+()-]*(?:\s+[\w'’./+()-]+){0,4}?)"
_OBJECT = (  # to the end of the clause; a dot within a name, and a comma of a list, are none
    r"(?P<object>(?:[^.;,]|[.,](?=\S)|,(?=[^.;,]{2,30}(?:,|\sand\s))){2,})"
)
_LED_IN = re.compile(
    r"^(?:Currently|In particular|However|Also|Additionally|Finally|By default|Thus|Hence|So"
    r"|Therefore|Note that)\b,?\s+"
    r"|^(?:As of|Since|Starting with|From|In addition to|In|On|With|During|Under)"
    r"\s(?:[^,.]|\.(?=\S)){2,40},\s+"
)
_IN_BRACKETS = re.compile(r"\s+\([^()]{1,60}\)")
_NO_NAME = re.compile(
    r"\b(?:is|are|was|were|be|been|has|have|had|must|may|can|should|shall|will|would|which|that|who"
    r"|when|if|because|but|and|or|to|you|it|they|we|i|he|she|not|does|do|did|this|these|those|there"
    r"|such|its|their|his|her|our|your|my|one|first|second|last|next|other|same|following|above"
    r"|below|here|then|so|also|however|what|where|how|why|all|some|any|most|both|former|latter|with"
    r"|without|since|while|usually|main|whole|now|let|like|only|many|different|several|various|no|as"
    r"|previous|himself|herself|itself|still|often|more|few|certain|someone|anyone|everyone|nobody"
    r"|another|similar|lot|always|hence|either|neither|just|currently|examples?|than|at|by|from"
    r"|even|too|very|once|note|please|allowable|possible|after|before|under|perhaps|maybe|potentially)\b",
    re.I,
)
_SECOND_ARTICLE = re.compile(r"(?<!\bof)(?<!\bin)(?<!\bfor)(?<!\bto)(?<!\bon)\s(?:the|an?)\s", re.I)
_VAGUE = frozenset(
    "result reason idea point problem thing way rest aim purpose difference example case fact part "
    "end advantage answer question decision choice".split()
)
_VAGUE_ALONE = frozenset(
    "number feature format output step order type kind sort default value option list name "
    "note".split()
)
_POINTS = re.compile(  # to what is not there
    r"(?:this|these|those|it|them|follows|for you|the following|the$|out|one|several ways|do either"
    r"|least|here|as$|default$|order for|and|or)\b|.*\b(?:this|that|them|it)$",
    re.I,
)
_OPINION = re.compile(
    r"(?:an?|the)\s+(?:\w+\s+)?(?:good|bad|best|better|difficult|easy|nice|great|simple|bit|lot|matter"
    r"|must|mistake|problem|idea|feature)\b",
    re.I,
)
_DOES = (
    "replaces|supersedes|belongs to|reports to|owns|maintains|costs|weighs|measures|lifts|carries|"
    "holds|contains|requires|opens at|closes at|stands at|lies at|lies in|lies on|lives in|decides|"
    "approves|issues|supplies|uses|provides|supports|includes|allows|enables|creates|generates|"
    "controls|specifies|defines|describes|displays|prints|reads|writes|returns|sends|accepts|"
    "combines|converts|manages|handles|stores|comes with|consists of|depends on|refers to|"
    "applies to|grants|offers|implements|extends|inherits from|listens on|points to|corresponds to|"
    "represents|determines|terminates|retrieves|declares|overrides|behaves like|runs as|runs on|"
    "expects|takes|serves|covers|ends with"
).split("|")


def _for_many(verb: str) -> str:
    """The form of a verb after a plural: "depend on" of "depends on"."""
    first, *rest = verb.split()
    bare = f"{first[:-3]}y" if first.endswith("ies") and first != "lies" else first[:-1]
    return " ".join((bare, *rest))


_HOW = "(?:not|also|only|even|then|always|never|often|usually|normally|automatically|already|now)"
_BE = "(?:is|are|was|were)"
_MODAL = "(?:can|cannot|may|must|should|will)"
_PARTICIPLE = (
    r"(?:\w+(?:ed|en|wn|ound|ade|ept|eld|et)|run|built|sent|paid|sold|told|lost|bought|brought|cut"
    r"|shut|put|fed|led|read)"
)
_OF_WHAT = "(?: (?:in|at|on|by|for|to|from|as|with|under|into|after|before|behind|only))?"
_LIKE = (
    "(?:almost )?(?:equivalent to|similar to|identical to|compatible with|part of|responsible for)"
)
_DO_MANY = "|".join(map(_for_many, _DOES))
_RELATIONS = (
    f"{_BE} (?:called|available (?:in|as|from|on)|{_LIKE})",
    f"(?:{_HOW} )?(?:{'|'.join(_DOES)})",
    f"(?:{_HOW} )?(?:{_DO_MANY})",
    r"ha(?:s|ve)(?= (?:an?|the|no|its|several|two|three|four|\d+)\b)",
    f"(?:{_BE}|ha(?:s|ve) been|{_MODAL}(?: {_HOW})? be)(?: {_HOW})* {_PARTICIPLE}{_OF_WHAT}",
    rf"(?:{_MODAL}|do|does)(?: {_HOW})? (?!(?:be|at|for|in|no|just|this|whatever|{_HOW})\b)\w+",
)
_MANY = re.compile(f"(?:{_HOW} )?(?:{_DO_MANY})")
_IS_A = re.compile(
    rf"{_ARTICLE}{_SUBJECT}\s+(?:is|are)\s+"
    r"(?P<object>(?:an?|the|[A-Z]\w+['’]s)\s+[^.;]{8,})[.;]?$"
)


@lru_cache(maxsize=8)
def _forms(declared: str) -> tuple[tuple[str, re.Pattern[str]], ...]:
    """Relations with their forms; those that are declared go first."""
    first, *others = [
        ("", re.compile(rf"{_ARTICLE}{_SUBJECT}\s+(?P<relation>{relation})\s+{_OBJECT}"))
        for relation in (declared or "(?!)", *(one.replace(" ", r"\s+") for one in _RELATIONS))
    ]
    return (first, ("is", _IS_A), *others)


def said_in(sentence: str, declared: str = "") -> tuple[str, str, str] | None:
    """Subject, relation and object of a sentence of a plain form; None for any other.

    Parameters
    ----------
    sentence : str
        On one line.
    declared : str, optional
        A pattern of relations that are read besides.

    Examples
    --------
    >>> said_in("The lock gate is opened by the lock keeper.")
    ('lock gate', 'is opened by', 'the lock keeper')
    >>> said_in("As of 2.1, parcels cannot be sent by night.")
    ('parcels', 'cannot be sent by', 'night')
    >>> said_in("It would be nice if there were more.")
    """
    said = _IN_BRACKETS.sub("", _LED_IN.sub("", sentence))
    for relation, form in _forms(declared):
        found = form.match(said)
        if found:
            subject, value = found["subject"].strip(), found["object"].strip(" .:")
            how = relation or " ".join(found["relation"].split())
            if _tells(said, subject, how, value):
                return subject, how, value
    return None


def _tells(said: str, subject: str, relation: str, value: str) -> bool:
    """Whether the subject is a name, and the rest says something of it by itself."""
    words = subject.split()
    head = words[-1].casefold()
    vague = _VAGUE if len(words) > 1 else _VAGUE | _VAGUE_ALONE
    return not (
        _NO_NAME.search(subject)
        or _SECOND_ARTICLE.search(subject)
        or subject[-1] in "-–/"
        or len(subject) > LONGEST_NAME
        or {head, head.removesuffix("s")} & vague
        or (said.startswith("The ") and len(words) == 1 and subject.islower())  # "the details"
        or words[0].casefold().endswith("ing")
        or (_MANY.fullmatch(relation) and not head.endswith("s"))  # "the install command": no verb
        or _OPINION.match(value)
        or _POINTS.match(value)
        or not value
    )
