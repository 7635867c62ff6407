"""Requests that are no questions: a summary, a letter to be written, a deed to be done."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

_PLEASE = (
    r"^\s*(?:please[,\s]+|(?:can|could|would|will) you\s+(?:please\s+)?|i (?:want|need) you to\s+)*"
)
_FOR = r"(?:(?:me|us|for me|for us|to me)\s+)?"
_SUMMARY = re.compile(
    _PLEASE + r"(?:(?:give|write|make|prepare|show)\s+" + _FOR + r"(?:a |an |the )?(?:\w+ )?"
    r"(?:summary|overview|digest)\s+(?:of|on|about)|summari[sz]e|sum up)\s+(?P<topic>.+)",
    re.I,
)
_WRITING = re.compile(
    _PLEASE
    + r"(?P<deed>draft|write|compose|word|formulate)\s+"
    + _FOR
    + r"(?P<what>(?:a|an|the|some)\s+"
    r"(?:\w+\s+){0,2}?(?:letter|e-?mail|mail|message|notice|reply|answer|text|poem|song|story|speech"
    r"|article|report|post|invitation|complaint|essay|joke|code|program|script))\b"
    r"(?P<rest>.*)",
    re.I,
)
_DEED = re.compile(
    _PLEASE
    + r"(?P<deed>(?:book|reserve|order|send|cancel|translate|remind|call|ring|phone|pay|sing"
    r"|play|buy|sell|delete|switch|turn|invent|draw|paint|imagine|pretend)\s+"
    r"(?:me|us|a|an|the|my|our|this|that|some|for)\b[^.?!]*|tell (?:me|us) (?:a|another) "
    r"(?:joke|story)[^.?!]*)",
    re.I,
)
_ABOUT = re.compile(
    r"\b(?:about|on|concerning|regarding|explaining|that (?:says|explains|tells)|saying|to ask"
    r"|asking)\b(?P<topic>.+)",
    re.I,
)

_A_PAGE = re.compile(
    r"^\s*(?:the |our )?(?:page|document|paper|file|text|section|chapter)s? (?:on|about|of)\b",
    re.I,
)


@dataclass(frozen=True, slots=True)
class Request:
    """Something to be done that is no question.

    Attributes
    ----------
    kind : {"summary", "writing", "deed"}
    topic : str
        What it is about; empty if it does not say.
    deed : str
        What is wanted, as words that follow "it does not".
    """

    kind: Literal["summary", "writing", "deed"]
    topic: str
    deed: str


def request_of(question: str) -> Request | None:
    """What is requested; None for a question, and for a list, which is asked for like one.

    Examples
    --------
    >>> request_of("Please summarise the pollution plan.").topic
    'the pollution plan'
    >>> request_of("Write me a letter about winter places").deed
    'write a letter'
    >>> request_of("Can you book me a berth for Friday?").kind, request_of("Where is the slip?")
    ('deed', None)
    """
    if found := _SUMMARY.match(question):
        return Request("summary", _A_PAGE.sub("", found["topic"]).strip(" .?!"), "")
    if found := _WRITING.match(question):
        about = _ABOUT.search(found["rest"])
        topic = about["topic"].strip(" .?!") if about else ""
        return Request("writing", topic, f"{found['deed']} {found['what']}".casefold())
    if found := _DEED.match(question):
        deed = re.sub(r"\b(me|us|my|our)\b", _turned, found["deed"].strip(), flags=re.I)
        return Request("deed", "", deed[:1].lower() + deed[1:])
    return None


def _turned(match: re.Match[str]) -> str:
    return {"me": "you", "us": "you", "my": "your", "our": "your"}[match[1].casefold()]
