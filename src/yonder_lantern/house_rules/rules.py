"""The rules at work: masking, dropping, declining, with every offset kept."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..records import Document, KeptOutError, Parsed
from ..settings import DECLINED, HouseRuleSettings
from ..text import sentences
from .patterns import ready_pattern
from .topics import topic_finder

MASK = "█"
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

    Examples
    --------
    >>> rule = HouseRuleSettings(when=("answered",), pattern="mail address", then="mask")
    >>> HouseRules([rule]).applied("Write to quay@saltgarth.example.").text
    'Write to ██████████████████████.'
    """

    def __init__(self, rules: Sequence[HouseRuleSettings]) -> None:
        self.settings = tuple(rules)
        self._rules: list[tuple[HouseRuleSettings, Finder]] = [
            (rule, ready_pattern(rule.pattern) if rule.pattern else topic_finder(rule.topic))
            for rule in rules
        ]

    def at(self, moment: str) -> HouseRules:
        """Those of one moment: asked, answered, gathered, or sent out."""
        return HouseRules([rule for rule in self.settings if moment in rule.when])

    def __bool__(self) -> bool:
        return bool(self._rules)

    def applied(self, text: str) -> Applied:
        """A text as the rules leave it."""
        declined = ""
        by: list[str] = []
        for rule, find in self._rules:
            found = list(find(text))
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
        KeptOutError
            A rule keeps it out.
        """
        text = self._kept(parsed.text)
        title = self._kept(parsed.title)
        details = self._details(dict(parsed.details))
        if (text, title, details) == (parsed.text, parsed.title, parsed.details):
            return parsed
        return replace(parsed, text=text, title=title, details=details)

    def document(self, document: Document) -> Document:
        """A document that was gathered before, as these rules leave it; itself if they need not.

        Raises
        ------
        KeptOutError
            A rule keeps it out.
        """
        if not self._rules:
            return document
        was = Parsed(document.text, document.blocks, document.title, document.details)
        now = self.parsed(was)
        if now is was:
            return document
        version = hashlib.sha256(f"{document.version}\n{now.text}".encode()).hexdigest()[:16]
        return replace(
            document, text=now.text, title=now.title, details=now.details, version=version
        )

    def _kept(self, text: str) -> str:
        own = self.applied(text)
        if own.declined:
            raise KeptOutError(
                f"kept out by the house rule {own.by[0]!r}",
                remedy="nothing, if that is meant; else mend the rule",
            )
        return own.text

    def _details(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {key: self._details(inner) for key, inner in value.items()}
        if isinstance(value, list | tuple):
            return [self._details(inner) for inner in value]
        return self._kept(value) if isinstance(value, str) else value


def _masked(text: str, found: Sequence[tuple[int, int]]) -> str:
    for start, end in found:
        text = text[:start] + _SHOWN.sub(MASK, text[start:end]) + text[end:]
    return text


def _blanked(text: str, found: Sequence[tuple[int, int]]) -> str:
    """A text with blanks for the sentences that hold something, and the marks behind them."""
    for start, end in _sentences(text):
        if any(a < end and start < b for a, b in found):
            marks = _MARKS.match(text, end)
            last = marks.end() if marks else end
            text = text[:start] + _SHOWN.sub(" ", text[start:last]) + text[last:]
    return text


def _sentences(text: str) -> Iterator[tuple[int, int]]:
    """The sentences of a text, none of which runs from one item, row or paragraph into the next."""
    at = 0
    for gap in [*_PART.finditer(text), None]:
        end = gap.start() if gap else len(text)
        yield from sentences(text, at, end)
        at = gap.end() if gap else end
