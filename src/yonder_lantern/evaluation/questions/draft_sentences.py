"""Questions that a sentence answers, by its form. English.

Each rule takes a form of sentence that answers just one question, and turns it round. A sentence
that leans on what stands before it ("It opens at nine") is left alone.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

_PRONOUNS = (
    "it they this that these those he she we you i there here such which who what when where how "
    "why if so but and or as then also however note see both each all some any one none most "
    "another other others same following first second third next last former latter"
).split()
_SUBJECT = r"(?:(?:The|A|An|Each|Every|All)\s+)?[^\W\d_][\w'’.+-]*(?:\s+[\w'’.+-]+){0,5}?"
_NOT_IN_SUBJECT = re.compile(
    r"\b(?:is|are|was|were|be|been|has|have|had|must|may|can|should|shall|will|would|which|that|who"
    r"|when|if|because|but|and|to|you|it|they|we|not|does|do|did)\b",
    re.I,
)
_AMOUNT = re.compile(
    r"(?:\d[\d,.:]*|\b(?:one|two|three|four|five|six|seven|eight|nine|ten|twelve|half)\b)"
    r"(?:\s*(?:to|-|–)\s*\d[\d,.:]*)?\s*(?:%|[A-Za-z°€£$]+)?",
    re.I,
)
_UNITS_OF_TIME = r"(?:second|minute|hour|day|week|month|year|working day|calendar day)s?"
_WHEN = {
    "opens": "open", "closes": "close", "starts": "start", "ends": "end", "begins": "begin",
    "leaves": "leave", "arrives": "arrive", "sails": "sail", "expires": "expire",
    "open": "open", "close": "close", "start": "start", "end": "end", "begin": "begin",
}  # fmt: skip
_HOW_MUCH = {
    "costs": ("How much does", "cost"), "cost": ("How much do", "cost"),
    "weighs": ("How much does", "weigh"), "takes": ("How long does", "take"),
    "lasts": ("How long does", "last"), "last": ("How long do", "last"),
    "stands": ("How long does", "stand"), "holds": ("How much does", "hold"),
    "carries": ("How much does", "carry"), "measures": ("How long does", "measure"),
}  # fmt: skip
_PLACED = "kept|stored|located|found|held|moored|installed|defined|published|posted|displayed|saved"
_VAGUE = frozenset(
    "result reason idea point problem thing way rest aim purpose difference example case fact "
    "part end advantage default answer question value option list name following".split()
)
_NOT_ALONE = frozenset(
    "this these that those other first second third last next usual main only best same such "
    "following above below another real whole although there former latter rest notable its their "
    "his her our my your important basic various different simplest easiest possible".split()
)
_LEANS = re.compile(
    r"\b(?:above|below|it|its|they|their|this|that|these|those|them|following|example|such|another|"
    r"either|neither|one|again|also|former|latter|so)\b",
    re.I,
)
_TOLD = re.compile(r"(?:you|the user|users)?\s*(?:must|should|need|have to|can)\b", re.I)
_ORDER = re.compile(
    r"(?:use|call|run|set|press|leave|ask|report|tell|add|check|put|turn|stop|keep|write|send|make|take"
    r"|go|try|type|enter|click|select|open)\b"
)
_SMALL = frozenset(
    "the a an of for in on to with your my our its this that other new own all any".split()
)
_ARTICLES = frozenset("the a an my your our its some".split())
_IN = re.compile(r"(?:in|on|at|from|to|by|with|about|whether|how|what|when|who|where|it)\b")
_LONGEST = 15  # words of a question


@dataclass(frozen=True, slots=True)
class SentenceQuestion:
    """A question that a sentence answers.

    Attributes
    ----------
    rule : str
    question : str
    answer : tuple of str
        What an answer must hold.
    """

    rule: str
    question: str
    answer: tuple[str, ...] = ()


Rule = tuple[str, re.Pattern[str], Callable[[re.Match[str]], SentenceQuestion | None]]


def questions_of_sentence(sentence: str) -> Iterator[SentenceQuestion]:
    """The questions that a sentence answers by its form.

    Parameters
    ----------
    sentence : str

    Examples
    --------
    >>> for one in questions_of_sentence("The fish auction opens at 06:30 on weekdays."):
    ...     print(one.question, one.answer)
    When does the fish auction open? ('06:30',)
    >>> list(questions_of_sentence("It opens at nine."))
    []
    """
    text = " ".join(sentence.split())
    first = re.match(r"\W*(\w+)", text)
    if first is None or not text[0].isupper() or not text.endswith((".", ":")):
        return
    for name, pattern, make in _RULES:
        if name not in ("condition", "task") and first[1].casefold() in _PRONOUNS:
            continue
        found = pattern.match(text)
        made = make(found) if found else None
        if made is not None and 3 <= len(made.question.split()) <= _LONGEST:
            yield made
            return


def _np(text: str) -> str | None:
    """A subject as it stands within a question; None where it is more or less than one."""
    words = text.split()
    head = words[-1].casefold().strip(".'’") if words else ""
    if not words or _NOT_IN_SUBJECT.search(text) or head in _VAGUE or "," in text:
        return None
    if any(word.casefold() in _NOT_ALONE for word in words):
        return None
    first = words[0]
    if first in ("The", "A", "An", "Each", "Every", "All"):
        words[0] = first.lower()
    elif len(words) > 1 and words[1][:1].islower() and first[1:].islower():
        words[0] = first.lower()  # a sentence's capital, not a name's
    return " ".join(words)


def _amount(text: str) -> tuple[str, ...]:
    found = _AMOUNT.search(text)
    told = found[0].strip(" .,;").removesuffix(" per") if found else ""
    return (told,) if told else ()


def _definition(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    if subject is None or subject.split()[0] in ("each", "every", "all"):
        return None
    return SentenceQuestion("definition", f"What {m['verb']} {subject}?")


def _when(m: re.Match[str]) -> SentenceQuestion | None:
    subject, verb = _np(m["subject"]), m["verb"]
    if subject is None or not _amount(m["time"]):
        return None
    does = "does" if verb.endswith("s") else "do"
    answer = (m["time"].strip(" .,"),)
    return SentenceQuestion("time", f"When {does} {subject} {_WHEN[verb]}?", answer)


def _how_much(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    asks, verb = _HOW_MUCH[m["verb"]]
    is_time = re.search(_UNITS_OF_TIME, m["amount"])
    if subject is None or (asks.startswith("How long") != bool(is_time) and verb != "measure"):
        return None
    return SentenceQuestion("amount", f"{asks} {subject} {verb}?", _amount(m["amount"]))


def _is_amount(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    if subject is None or not subject.startswith("the "):
        return None
    where = m["where"] or ""
    return SentenceQuestion("amount", f"What {m['verb']} {subject}{where}?", _amount(m["amount"]))


def _within(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    if subject is None:
        return None
    unit = m["unit"] if m["unit"].endswith("s") else f"{m['unit']}s"
    return SentenceQuestion(
        "deadline",
        f"Within how many {unit} {m['modal']} {subject} {m['rest'].strip()}?",
        (m["number"],),
    )


def _condition(m: re.Match[str]) -> SentenceQuestion | None:
    condition, then = m["condition"].strip(), m["then"].strip()
    if re.match(r"(?:it|they|this|that|so|not|any|these|he|she|none|neither)\b", condition, re.I):
        return None
    if _LEANS.search(condition):
        return None
    if not 3 <= len(condition.split()) <= 10 or len(then.split()) < 3:
        return None
    wants = re.match(r"you (?:want|wish|need|would like) to (.+)", condition, re.I)
    if wants:
        return SentenceQuestion("task", f"How do I {_mine(wants[1])}?")
    condition = _mine(condition)
    if _TOLD.match(then) or _ORDER.match(then):
        return SentenceQuestion("condition", f"What should I do if {condition}?")
    return SentenceQuestion("condition", f"What happens if {condition}?")


def _purpose(m: re.Match[str]) -> SentenceQuestion | None:
    task = m["task"].strip()
    if not 2 <= len(task.split()) <= 9 or _LEANS.search(task):
        return None
    if re.match(r"(?:be|do so|begin|start with|make matters|summari[sz]e|illustrate)\b", task):
        return None
    if task.split()[0] in _ARTICLES or not task[0].islower():
        return None
    return SentenceQuestion("task", f"How do I {_mine(task)}?")


def _responsible(m: re.Match[str]) -> SentenceQuestion | None:
    rest = m["rest"].strip(" .")
    if (
        not 1 <= len(rest.split()) <= 9
        or _np(m["subject"]) is None
        or _IN.match(rest)
        or _LEANS.search(rest)
    ):
        return None
    return SentenceQuestion("person", f"Who {m['verb']} {rest}?")


def _where(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    if subject is None:
        return None
    return SentenceQuestion("place", f"Where {m['verb']} {subject} {m['placed']}?")


def _used_for(m: re.Match[str]) -> SentenceQuestion | None:
    subject = _np(m["subject"])
    if subject is None:
        return None
    if not _is_special(subject):
        return None
    return SentenceQuestion("use", f"What {m['verb']} {subject} used for?")


def _default(m: re.Match[str]) -> SentenceQuestion | None:
    subject = m["subject"].strip()
    if not 3 <= len(subject.split()) <= 7 or _NOT_IN_SUBJECT.search(subject):
        return None
    if _LEANS.search(subject):
        return None
    return SentenceQuestion("default", f"What is the default {subject}?")


def _is_special(thing: str) -> bool:
    """Whether something is said of enough: "the behaviour" alone could be of anything."""
    words = [word for word in re.findall(r"[\w./+-]+", thing) if word.casefold() not in _SMALL]
    return len(words) > 1 or any(not word.islower() for word in words)


def _mine(text: str) -> str:
    """What is said to the reader, as the reader says it."""
    swaps = {"your": "my", "yourself": "myself", "yours": "mine", "you": "I"}
    text = re.sub(r"\byou are\b", "I am", text, flags=re.I)
    return re.sub(
        r"\b(?:your|yourself|yours|you)\b", lambda m: swaps[m[0].casefold()], text, flags=re.I
    )


_UP_TO = r"(?:up to |about |at least |at most |set at |set to |for )?"
_TIME = r"\d{1,2}(?::\d\d)?(?:\s*(?:am|pm))?|(?:[A-Z]\w+\s+)?\d{1,2}(?:\s+[A-Z]\w+)?"
_FIGURE_AND_UNIT = r"\d[\d.,:]*\s*(?:%|[a-zA-Z°]+)?"
_WHERE = r"(?P<where>\s+(?:in|on|at|inside|for|per|from|of)\s+(?:the\s+)?[\w' -]{2,25})?"
_DOES = "is responsible for|decides|approves|issues|signs|appoints|keeps|inspects|supervises"
_RULES: list[Rule] = [
    (name, re.compile(pattern.replace("SUBJECT", f"(?P<subject>{_SUBJECT})")), make)
    for name, pattern, make in (
        (
            "deadline",
            r"SUBJECT\s+(?P<modal>must|may|can|should|shall)\s+(?P<rest>[\w ]{3,40}?)"
            rf"\s+within\s+(?P<number>\d+|\w+)\s+(?P<unit>{_UNITS_OF_TIME})\b",
            _within,
        ),
        (
            "time",
            rf"SUBJECT\s+(?P<verb>{'|'.join(_WHEN)})\s+(?:daily\s+)?(?:at|on|from)\s+"
            rf"(?P<time>{_TIME})\b",
            _when,
        ),
        (
            "amount",
            rf"SUBJECT\s+(?P<verb>{'|'.join(_HOW_MUCH)})\s+{_UP_TO}(?P<amount>\d[\w.,:% ]*)",
            _how_much,
        ),
        (
            "amount",
            rf"SUBJECT\s+(?P<verb>is|are)\s+{_UP_TO}(?P<amount>{_FIGURE_AND_UNIT}){_WHERE}"
            r"(?=[.,;:]|\s+(?:and|but|or)\b)",
            _is_amount,
        ),
        ("use", r"SUBJECT\s+(?P<verb>is|are)\s+used\s+(?:to|for|when|in)\b", _used_for),
        (
            "place",
            rf"SUBJECT\s+(?P<verb>is|are)\s+(?P<placed>{_PLACED})\s+"
            r"(?:in|at|on|under|behind|beside)\s",
            _where,
        ),
        (
            "person",
            rf"(?P<subject>(?:The|A|An)\s+[a-z]+(?:\s+[a-z]+){{0,3}}?)\s+(?P<verb>{_DOES})\s+"
            r"(?P<rest>[^,;:]+?)(?=[.,;]|\s+(?:and|who|which|when|until)\b)",
            _responsible,
        ),
        (
            "definition",
            r"SUBJECT\s+(?P<verb>is|are)\s+(?:an?|the|any)\s+(?P<rest>(?:[^.]|\.\S){20,})\.$",
            _definition,
        ),
        ("task", r"(?:In order to|To)\s+(?P<task>[^,]+),\s+(?P<then>\S+ .{8,})", _purpose),
        ("condition", r"(?:If|When)\s+(?P<condition>[^,]+),\s+(?P<then>\S+ .{8,})", _condition),
        ("default", r"The default\s+(?P<subject>[\w -]+?)\s+is\s+\S", _default),
    )
]
