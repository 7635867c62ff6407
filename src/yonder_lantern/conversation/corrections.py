"""What a person puts right: "no, I meant the other one", and the question that is then asked."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import identifiers, words

_OPENS = r"(?:no|nope|nah|not quite|wrong|sorry|wait|oh|oops|nein|non)\b[\s,.!;:–-]*"
_MEANT = (
    r"(?:i (?:meant?|was asking (?:about|for)|asked (?:about|for)|said)|(?:rather|actually|instead)"
    r"\b,?|ich mein(?:t)?e|je voulais dire)\s*"
)
_WANTED = r"i (?:want(?:ed)?|am asking (?:about|for))(?: to know about)?\s*"
_NOT_THAT = re.compile(
    rf"\W*(?:{_OPENS})?not (?P<wrong>.+?)(?:,| but)(?: but)? (?P<right>.+)", re.I
)
_CORRECTS = re.compile(
    rf"\W*(?:(?:{_OPENS})?(?:{_OPENS})?{_MEANT}|{_OPENS}{_WANTED})(?P<right>.+)", re.I
)
_SAYS_NO = re.compile(
    rf"\W*{_OPENS}(?P<right>(?:the|a|an|my|our|in|on|at|for|der|die|das|le|la)\b.+)", re.I
)
_OTHER = re.compile(
    rf"\W*(?:{_OPENS})?(?:{_MEANT})?(?:and |what about |how about )?"
    r"(?:the )?other(?: one| of the two)?\W*(?:please)?\W*",
    re.I,
)
_ORDINAL = {"first": 0, "1st": 0, "former": 0, "second": 1, "2nd": 1, "third": 2, "3rd": 2,
            "last": -1, "latter": -1}  # fmt: skip
_NTH = re.compile(
    r"\W*(?:no[, ]+)?(?:i mean(?:t)? )?(?:the )?"
    r"(first|1st|former|second|2nd|third|3rd|last|latter)(?: one)?\W*",
    re.I,
)
_DETERMINED = re.compile(
    r"\b(?P<lead>(?:the|a|an|my|our|your|this|that|each|every|any)\s+)"
    r"(?P<thing>[\w'’-]+(?:\s+[\w'’-]+){0,3}?)"
    r"(?=\s+(?:is|are|was|were|be|do|does|did|have|has|had|can|could|may|might|must|shall|should"
    r"|will|would|open|close|cost|pay|need|run|start|in|on|at|for|of|to|from|by|with|after|before"
    r"|when|if|and|or|that|which)\b|\s*[?!.,]|\s*$)",
    re.I,
)
_PLACE = re.compile(r"(in|on|at|for|with|without|during|after|before|by|from|to|of) ", re.I)
_AND_OF = re.compile(
    r"\W*(?:and(?: what)?|what|how|und|et)\b(?: about)?"
    r"(?: (?:of|for|with|about|in|von|für|mit|bei|de|pour|avec)\b)?\s+(?P<right>\S+)",
    re.I,
)
_ARTICLE = re.compile(r"^(?:the|a|an|my|our|this|that)\s+", re.I)
_ASKS = re.compile(
    r"^(?:who|what|when|where|why|how|which|is|are|do|does|did|can|may|must)\b", re.I
)


def corrected(question: str, before: str, choices: Sequence[str] = ()) -> str:
    """The question before, with what a correction puts right; empty where this is none.

    Parameters
    ----------
    question : str
    before : str
        What was searched for last.
    choices : sequence of str
        What was asked back a turn or two ago.

    Examples
    --------
    >>> corrected("No, I meant the fuel berth.", "When is the visitors' pontoon open?")
    'When is the fuel berth open?'
    >>> corrected("no, the other one", "How long is the bridge? PB-C", ["PB-C", "PB-D"])
    'How long is the bridge? PB-D'
    >>> corrected("And of max_boats?", "What is the default of max_yachts?")
    'What is the default of max_boats?'
    >>> corrected("When is the office open?", "Where is it?")
    ''
    """
    chosen = _by_choice(question, before, choices)
    if chosen:
        return chosen
    negated = _NOT_THAT.fullmatch(question.strip())
    if negated:
        wrong, right = _ARTICLE.sub("", negated["wrong"]), _tidy(negated["right"])
        exchanged = _exchanged(before, wrong, _ARTICLE.sub("", right))
        return exchanged or _in_place(before, right)
    if exchanged := _the_same_of_another(question, before):
        return exchanged
    for pattern in (_CORRECTS, _SAYS_NO):
        found = pattern.fullmatch(question.strip())
        if found:
            right = _tidy(found["right"])
            if _ASKS.match(right):
                return f"{right[0].upper()}{right[1:]}?"
            return _in_place(before, right)
    return ""


def _the_same_of_another(question: str, before: str) -> str:
    """The question before with the one setting, option or code it names put for another."""
    found = _AND_OF.fullmatch(question.strip().rstrip("?!. "))
    right = found["right"].strip("`") if found else ""
    named = list(identifiers(before))
    if len({one.group() for one in named}) != 1:
        return ""
    if [one.group() for one in identifiers(right)] != [right]:
        return ""
    return before[: named[0].start()] + right + before[named[0].end() :]


def _by_choice(question: str, before: str, choices: Sequence[str]) -> str:
    """The question before with another of the things asked back."""
    if not choices:
        return ""
    taken = [one for one in choices if _holds(before, one)]
    nth = _NTH.fullmatch(question)
    if nth and -len(choices) <= _ORDINAL[nth[1].lower()] < len(choices):
        wanted = choices[_ORDINAL[nth[1].lower()]]
    elif _OTHER.fullmatch(question) and len(taken) == 1 and len(choices) == 2:
        wanted = next(one for one in choices if one != taken[0])
    else:
        named = [one for one in choices if _holds(question, one)]
        if len(taken) != 1 or len(named) != 1 or named == taken or len(words(question)) > 8:
            return ""
        wanted = named[0]
    if len(taken) == 1:
        return _exchanged(before, taken[0], wanted)
    return f"{before} {wanted}"


def _in_place(before: str, right: str) -> str:
    """The question before about another thing: in place of the one that is most like it."""
    things = list(_DETERMINED.finditer(before))
    bare = _ARTICLE.sub("", right)
    lead = _PLACE.match(bare)
    if lead:  # "in winter": in place of "in summer"
        same_lead = re.search(rf"\b{lead[1]} [\w'’-]+", before, re.I)
        if same_lead:
            return before[: same_lead.start()] + bare + before[same_lead.end() :]
        return f"{before} {bare}"
    alike = _same_kind(before, bare)
    if alike:
        return alike
    if not things:
        return f"{before} {right}"
    head = words(bare)[-1:] or [""]
    same = [one for one in things if words(one["thing"])[-1:] == head]
    target = same[0] if same else things[0] if len(things) == 1 else things[-1]
    return before[: target.start("thing")] + bare + before[target.end("thing") :]


def _same_kind(before: str, right: str) -> str:
    """Something of the same name in place of another: "pontoon D", "the fine for littering"."""
    name, _, rest = right.partition(" ")
    if not rest:
        return ""
    lead = _PLACE.match(rest)
    other = rf"{lead[1]} [\w'’-]+" if lead else r"[A-Z0-9][\w-]*\b"
    found = re.search(rf"\b{re.escape(name)} {other}", before)
    return before[: found.start()] + right + before[found.end() :] if found else ""


def _exchanged(before: str, wrong: str, right: str) -> str:
    pattern = re.compile(rf"(?<!\w){re.escape(wrong.strip())}(?!\w)", re.I)
    return pattern.sub(lambda _: right, before, count=1) if pattern.search(before) else ""


def _holds(text: str, thing: str) -> bool:
    return {one.lower() for one in words(thing)} <= {one.lower() for one in words(text)}


def _tidy(text: str) -> str:
    return text.strip().rstrip(".!?").strip()
