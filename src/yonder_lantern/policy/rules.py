"""The rules at work: masking, dropping, declining, with every offset kept."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..core import Document, ExcludedError, LimitError, Parsed
from ..settings import DECLINED, HouseRuleSettings
from ..text import sentences
from .patterns import ready_pattern

MASK = "█"
_SECONDS = 2.0
_SHOWN = re.compile(r"\S")
_PART = re.compile(r"\n\s*\n|\n(?=\s*(?:[-*|#>`]|\d{1,3}[.)]\s))")  # between lines that are apart
_MARKS = re.compile(r"(?:\s*\[\d{1,3}\])+")

Finder = Callable[[str], Iterator[tuple[int, int]]]


@dataclass(frozen=True, slots=True)
class Applied:
    """What the rules make of a text.

    Attributes
    ----------
    text : str
        As long as it was: what was masked is `MASK`, what was dropped is blank.
    declined : str
        The words that decline it; empty when nothing does.
    by : tuple of str
        The rules that found something, by what they are called.
    """

    text: str
    declined: str = ""
    by: tuple[str, ...] = ()

    @property
    def tidy(self) -> str:
        """The text without the gaps that dropped sentences leave."""
        if not self.by:
            return self.text
        lines = [line.rstrip() for line in self.text.split("\n")]
        text = re.sub(r"(?<=\S)[ \t]{2,}(?=\S)", " ", "\n".join(lines))
        return re.sub(r"\n{3,}", "\n\n", text).strip()


class HouseRules:
    """Some house rules, in their order.

    Parameters
    ----------
    rules : sequence of HouseRuleSettings
    seconds : float
        How long a rule may take for one text.

    Examples
    --------
    >>> rule = HouseRuleSettings(when=("answered",), pattern="mail address", then="mask")
    >>> HouseRules([rule]).applied("Write to quay@saltgarth.example.").text
    'Write to ██████████████████████.'
    """

    def __init__(self, rules: Sequence[HouseRuleSettings], seconds: float = _SECONDS) -> None:
        self.settings = tuple(rules)
        self._seconds = seconds
        self._rules: list[tuple[HouseRuleSettings, Finder]] = [
            (
                rule,
                ready_pattern(rule.pattern, seconds) if rule.pattern else _of_topic(rule.topic),
            )
            for rule in rules
        ]

    def at(self, moment: str) -> HouseRules:
        """Those of one moment: asked, answered, gathered, or sent."""
        return HouseRules([rule for rule in self.settings if moment in rule.when], self._seconds)

    def __bool__(self) -> bool:
        return bool(self._rules)

    def applied(self, text: str) -> Applied:
        """A text as the rules leave it.

        Raises
        ------
        LimitError
            A rule takes too long for it.
        """
        declined = ""
        by: list[str] = []
        for rule, find in self._rules:
            try:
                found = list(find(text))
            except TimeoutError:
                raise LimitError(
                    f"the house rule {rule.called!r} takes more than {self._seconds:g} s for this "
                    "text",
                    f"house_rule, pattern = {rule.pattern!r}",
                    "write it without one repetition inside another",
                ) from None
            if not found:
                continue
            by.append(rule.called)
            if rule.then == "drop":
                text = _blanked(text, found)
                continue
            if rule.then == "decline":
                declined = declined or rule.words or DECLINED
            if rule.pattern or rule.then == "mask":
                text = _masked(text, found)  # also where it declines: a trace may keep it
        return Applied(text, declined, tuple(by))

    def parsed(self, parsed: Parsed) -> Parsed:
        """A document as the rules leave it, place for place.

        Raises
        ------
        ExcludedError
            A rule keeps it out.
        """
        text = self._kept(parsed.text)
        title = self._kept(parsed.title)
        metadata = self._metadata(dict(parsed.metadata))
        if (text, title, metadata) == (parsed.text, parsed.title, parsed.metadata):
            return parsed
        return replace(parsed, text=text, title=title, metadata=metadata)

    def document(self, document: Document) -> Document:
        """A document that was gathered before, as these rules leave it; itself if they need not.

        Raises
        ------
        ExcludedError
            A rule keeps it out.
        """
        if not self._rules:
            return document
        was = Parsed(document.text, document.blocks, document.title, document.metadata)
        now = self.parsed(was)
        if now is was:
            return document
        version = hashlib.sha256(f"{document.version}\n{now.text}".encode()).hexdigest()[:16]
        return replace(
            document, text=now.text, title=now.title, metadata=now.metadata, version=version
        )

    def _kept(self, text: str) -> str:
        applied = self.applied(text)
        if applied.declined:
            raise ExcludedError(
                f"kept out by the house rule {applied.by[0]!r}",
                remedy="nothing, if that is meant; else fix the rule",
            )
        return applied.text

    def _metadata(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {key: self._metadata(inner) for key, inner in value.items()}
        if isinstance(value, list | tuple):
            return [self._metadata(inner) for inner in value]
        return self._kept(value) if isinstance(value, str) else value


def _masked(text: str, found: Sequence[tuple[int, int]]) -> str:
    return _with_each(text, found, MASK)


def _with_each(text: str, found: Sequence[tuple[int, int]], sign: str) -> str:
    """A text with a sign in place of each character of some ranges that is not blank."""
    parts = []
    last = 0
    for start, end in found:
        parts += [text[last:start], _SHOWN.sub(sign, text[max(start, last) : end])]
        last = max(last, end)
    return "".join([*parts, text[last:]])


def _blanked(text: str, found: Sequence[tuple[int, int]]) -> str:
    """A text with blanks for the sentences that hold something, and the marks behind them."""
    gone = []
    at = 0
    for start, end in _sentences(text):
        while at < len(found) and found[at][1] <= start:
            at += 1
        if at < len(found) and found[at][0] < end:
            marks = _MARKS.match(text, end)
            gone.append((start, marks.end() if marks else end))
    return _with_each(text, gone, " ")


def _sentences(text: str) -> Iterator[tuple[int, int]]:
    """The sentences of a text, none of which runs from one item, row or paragraph into the next."""
    at = 0
    for gap in [*_PART.finditer(text), None]:
        end = gap.start() if gap else len(text)
        yield from sentences(text, at, end)
        at = gap.end() if gap else end


def _of_topic(topic: str) -> Finder:
    from .forbidden_topics import topic_finder  # only here: it loads the lexicon

    return topic_finder(topic)
