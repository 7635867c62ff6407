"""A longer piece: sections under headings, every statement cited; also as lines for voices."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from .answers import Citation, Statement, Tokens
from .money import Money

MOST_SECTIONS = 20


@dataclass(frozen=True, slots=True)
class ArticleSection:
    """One section of an article.

    Attributes
    ----------
    heading : str
    text : str
        Markdown, with the numbers of its citations.
    statements : tuple of Statement
    """

    heading: str
    text: str
    statements: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class VoiceLine:
    """What one voice of a script says.

    Attributes
    ----------
    voice, text : str
    citations : tuple of int
        The numbers of what it rests on; none for words that only lead on.
    """

    voice: str
    text: str
    citations: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Article:
    """A longer piece about a topic, in the words of the documents or of a model that was checked.

    Attributes
    ----------
    topic, title : str
    sections : tuple of ArticleSection
        Empty where the documents say too little of the topic.
    citations : tuple of Citation
        Numbered over the whole.
    script : tuple of VoiceLine
        The same for several voices, where some were asked for.
    left_out : tuple of str
        Headings of sections for which nothing was borne out.
    support : float
        The mean support of its statements.
    by : str
        The model that wrote it; empty where the documents' own words stand.
    likeness : float or None
        As of an `Answer`.
    tokens : Tokens
    cost : Money
    trace : str
    times : mapping of str to float
        Milliseconds.
    """

    topic: str
    title: str
    sections: tuple[ArticleSection, ...]
    citations: tuple[Citation, ...]
    script: tuple[VoiceLine, ...] = ()
    left_out: tuple[str, ...] = ()
    support: float = 0.0
    by: str = ""
    likeness: float | None = None
    tokens: Tokens = field(default_factory=Tokens)
    cost: Money = Money()
    trace: str = ""
    times: Mapping[str, float] | None = None

    @property
    def text(self) -> str:
        """The whole as Markdown."""
        parts = [f"# {self.title}"] if self.sections else []
        parts += [f"## {one.heading}\n\n{one.text}" for one in self.sections]
        return "\n\n".join(parts)

    def __str__(self) -> str:
        return "\n".join([self.text, "", *map(str, self.citations)]).strip()
