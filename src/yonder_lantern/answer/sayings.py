"""What a sentence of a model is before anything is checked: a statement, or what only leads to one.

Greetings, lead-ins, headings and questions state nothing: they are neither cited nor judged, and
stay where something that they lead to stays. A bare "Yes." is what the sentence after it gives a
reason for, and goes with that.
"""

from __future__ import annotations

import re
from enum import Enum

from .marks import PAPERS

_GIVEN = r"(?:provided|given|above|numbered|supplied|available)"
_PREAMBLE = re.compile(
    rf"^\s*(?:based on|according to|as (?:stated|described|mentioned|said) in|as per|from)"
    rf" (?:the|these|those|your)(?: {_GIVEN})? {PAPERS}(?: {_GIVEN})?"
    r"(?:,|\b(?= (?:the|you|it)\b))\s*",
    re.IGNORECASE,
)
_LEADS_IN = re.compile(
    r"^\W*(?:(?:\d{1,3}|[a-z])[.)]"
    r"|(?:hello|hi|sure|certainly|of course|absolutely|great question|thank you|thanks|okay|ok"
    r"|here (?:is|are) (?:the|an?|some) (?:answers?|steps?|information|details?|lists?|summary)"
    r"(?: \w+){0,4}|i hope (?:this|that) helps|let me know \b.*|i(?: am|'m|’m) happy to \b.*)"
    r")\W*$",
    re.IGNORECASE | re.DOTALL,
)
_CLOSING = " \t\n*_\"'”’»)]"
_VERDICT = re.compile(
    r"^\W*(?:yes|no|correct|that is (?:right|correct|true|false|wrong)|ja|nein|oui|non"
    r"|(?:the )?answer (?:to (?:the|your) question )?is[:,]? [\"“]?(?:yes|no)"
    r"|(?:yes|no), (?:it|they|you|he|she|there|that|this) (?:is|are|does|do|can|may|will|must|has"
    r"|have)(?: ?not|n['’]t)?)\W*$",
    re.IGNORECASE,
)
_ABBREVIATED = re.compile(
    r"(?:^|[\s(])(?:e\.g|i\.e|cf|vs|approx|no|nos|fig|dr|mr|mrs|ms|st|z\.\s?b|d\.\s?h|p\.\s?ex)\.$"
    r"|(?:^|\n)[ \t]*(?:[-*+][ \t]+)?\(?\d{1,3}\.$",
    re.IGNORECASE,
)
_CLOCK = re.compile(r"\b[ap]\.m\.$", re.IGNORECASE)


class Saying(Enum):
    """What a sentence is."""

    STATEMENT = "statement"
    LEAD_IN = "lead-in"
    VERDICT = "verdict"


def saying(sentence: str) -> Saying:
    """What a sentence is.

    Examples
    --------
    >>> [saying(text).value for text in ("The quay is shut.", "Here are the steps:", "Yes.")]
    ['statement', 'lead-in', 'verdict']
    >>> saying("The answer is no.").value, saying("Yes, on Mondays.").value, saying("1.").value
    ('verdict', 'statement', 'lead-in')
    """
    if _VERDICT.match(sentence):
        return Saying.VERDICT
    leads_in = sentence.lstrip().startswith("#") or sentence.rstrip(_CLOSING).endswith((":", "?"))
    return Saying.LEAD_IN if leads_in or _LEADS_IN.match(sentence) else Saying.STATEMENT


def without_preamble(sentence: str) -> str:
    """A sentence without "Based on the passages," and the like before it.

    Examples
    --------
    >>> without_preamble("Based on the provided passages, the quay is shut.")
    'The quay is shut.'
    """
    found = _PREAMBLE.match(sentence)
    if found is None:
        return sentence
    rest = sentence[found.end() :]
    return rest[:1].upper() + rest[1:]


def goes_on(before: str, after: str) -> bool:
    """Whether a full stop does not end a sentence: an abbreviation, or the number of an item.

    Parameters
    ----------
    before : str
        Up to the full stop.
    after : str
        What follows it.

    Examples
    --------
    >>> goes_on("Use a rope, e.g.", " the long one"), goes_on("It shuts at 6 p.m.", " The gate")
    (True, False)
    >>> goes_on("1.", " Ring the bell."), goes_on("Ring the bell.", " Wait.")
    (True, False)
    """
    if _CLOCK.search(before):
        return not after.lstrip()[:1].isupper()
    return bool(_ABBREVIATED.search(before))
