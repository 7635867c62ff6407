"""A longer piece as it goes out."""

from __future__ import annotations

import msgspec

from ..answers import Statement
from ..article import Article
from .answer_out import CitationOut, MoneyOut, StatementOut, TokensOut


class ArticleSectionOut(msgspec.Struct, frozen=True):
    """A section: Markdown, and its statements."""

    heading: str
    text: str
    statements: list[StatementOut]


class VoiceLineOut(msgspec.Struct, frozen=True):
    """What one voice says, and the numbers of what it rests on."""

    voice: str
    text: str
    citations: list[int]


class ArticleOut(msgspec.Struct, frozen=True):
    """A longer piece: ``yonder ask --long --json``."""

    topic: str
    title: str
    text: str
    sections: list[ArticleSectionOut]
    citations: list[CitationOut]
    script: list[VoiceLineOut]
    left_out: list[str]
    support: float
    likeness: float | None
    by: str
    tokens: TokensOut
    cost: MoneyOut
    trace: str
    milliseconds: dict[str, float]

    @classmethod
    def of(cls, article: Article, citations: int | None = None) -> ArticleOut:
        """A piece as it goes out, with so many citations at most."""
        return cls(
            topic=article.topic,
            title=article.title,
            text=article.text,
            sections=[
                ArticleSectionOut(
                    one.heading, one.text, [_statement(each) for each in one.statements]
                )
                for one in article.sections
            ],
            citations=[CitationOut.of(one) for one in article.citations[:citations]],
            script=[
                VoiceLineOut(one.voice, one.text, list(one.citations)) for one in article.script
            ],
            left_out=list(article.left_out),
            support=article.support,
            likeness=article.likeness,
            by=article.by,
            tokens=TokensOut.of(article.tokens),
            cost=MoneyOut.of(article.cost),
            trace=article.trace,
            milliseconds=dict(article.times or {}),
        )


def _statement(one: Statement) -> StatementOut:
    return StatementOut(
        one.text, one.kind.name.lower(), list(one.citations), one.support, one.formula
    )
