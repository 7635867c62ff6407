"""A longer piece about a topic: an outline, its sections, each checked, in one budget."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ..core import (
    MOST_SECTIONS,
    Answer,
    AnswerStatus,
    Article,
    CallError,
    Progress,
    ResolvedQuery,
    SearchResult,
    no_progress,
)
from ..observe import trace_of
from ..policy import HouseRules, as_sent, revised
from .citation_age import with_age
from .replying import answer_of

if TYPE_CHECKING:
    from .pipeline import Pipeline

_HITS = 40  # passages that the built-in outline is made of
_OF_CONTEXT = 0.5  # of a model's context, that passages for its outline take


@dataclass(frozen=True, slots=True)
class ArticleOrder:
    """What is to be written.

    Attributes
    ----------
    sections : int
        At most.
    voices : sequence of str
        For a script; the first leads on.
    """

    sections: int = 5
    voices: Sequence[str] = ()

    def __post_init__(self) -> None:
        """Refuse what cannot be written."""
        if not 1 <= self.sections <= MOST_SECTIONS:
            raise CallError(
                f"an article has 1 to {MOST_SECTIONS} sections, not {self.sections}",
                "sections",
                "ask for fewer, or write two",
            )
        names = [voice.strip() for voice in self.voices]
        if not all(names) or len(set(names)) < len(names):
            raise CallError(
                "every voice needs a name of its own", "voices", "for example: --voices Ann,Ben"
            )


def write_article(
    pipeline: Pipeline, asked: ResolvedQuery, order: ArticleOrder, progress: Progress = no_progress
) -> Article:
    """A longer piece about what a query names; a record of it is kept.

    Parameters
    ----------
    pipeline : Pipeline
    asked : ResolvedQuery
    order : ArticleOrder
    progress : Progress

    Raises
    ------
    CallError
        A house rule declines the topic.
    LimitError
        It could cost more than an answer may.
    """
    from ..answer.article import join_sections, script_of, titled

    began = time.perf_counter()
    if asked.declined:
        raise CallError(asked.declined, "house_rule", "ask something else, or fix the rule")
    further: list[SearchResult] = []
    wide = pipeline.found(replace(asked, limit=max(asked.limit or 0, _HITS)))
    by_model = bool(pipeline.settings.answer.model)
    title, written = (
        _by_model(pipeline, asked, wide, order, further)
        if by_model
        else _built_in(pipeline, wide, order)
    )
    rules = HouseRules(pipeline.settings.house_rule).at("answered")
    told: list[tuple[str, Answer]] = []
    left_out: list[str] = []
    for number, (heading, answer) in enumerate(written):
        progress("writing sections", number, order.sections)
        asked.control.check()
        allowed = revised(answer, rules)
        if allowed.answered and allowed.statements:
            told.append((heading, allowed))
        else:
            left_out.append(heading)
    sections, citations = join_sections(told)
    said = [statement for one in sections for statement in one.statements]
    title = title or titled(asked.question)
    support = sum(one.support for one in said) / len(said) if said else 0.0
    budget = pipeline.calls.budget
    article = Article(
        topic=asked.question,
        title=title,
        sections=sections,
        citations=with_age(citations, pipeline.snapshot),
        script=script_of(title, sections, order.voices) if order.voices and sections else (),
        left_out=tuple(left_out),
        support=support,
        by=told[0][1].by if by_model and told else "",
        likeness=pipeline.likeness(asked.caller, said),
        tokens=budget.tokens,
        cost=budget.spent,
        times={"whole": round((time.perf_counter() - began) * 1000, 3)},
    )
    whole = _as_answer(article)
    trace = trace_of(wide, whole, settings=pipeline.bearing(asked), further=further)
    return replace(article, trace=pipeline.record(trace))


Sections = tuple[str, Iterator[tuple[str, Answer]]]


def _built_in(pipeline: Pipeline, wide: SearchResult, order: ArticleOrder) -> Sections:
    """The sections that the documents have themselves, in their own words."""
    from ..answer.article import outline_of

    composer = pipeline.composer()
    parts = outline_of(composer.judge(wide), wide, order.sections)
    return "", ((one.heading, composer.answered(wide, [one.draft])) for one in parts)


def _by_model(
    pipeline: Pipeline,
    asked: ResolvedQuery,
    wide: SearchResult,
    order: ArticleOrder,
    further: list[SearchResult],
) -> Sections:
    """The sections that a model proposes; each is searched for, written and checked by itself.

    Where what it proposes is no outline, it writes the sections that the documents have.
    """
    from ..answer.article import outline_in, outline_of

    found, words = as_sent(wide, pipeline.sent)
    if words:
        raise CallError(words, "house_rule", "ask something else, or fix the rule")
    if not wide.hits:
        return "", iter(())
    model, profile = pipeline.model(asked.caller)
    prompt = model.outline_prompt(found, order.sections, profile.context * _OF_CONTEXT)
    send = pipeline.send(profile, model.name, asked.control)
    proposed = outline_in(send(prompt).text, order.sections)
    if proposed is None:
        own = outline_of(pipeline.composer().judge(wide), wide, order.sections)
        parts = tuple((one.heading, f"{asked.question}: {one.heading}") for one in own)
        return "", _written(pipeline, asked, parts, further)
    return proposed.title, _written(pipeline, asked, proposed.parts, further)


def _written(
    pipeline: Pipeline,
    asked: ResolvedQuery,
    parts: Sequence[tuple[str, str]],
    further: list[SearchResult],
) -> Iterator[tuple[str, Answer]]:
    for heading, question in parts:
        own = replace(asked, question=question, background=asked.question)
        further.append(pipeline.found(own))
        yield heading, answer_of(pipeline.by_model(further[-1]))


def _as_answer(article: Article) -> Answer:
    """An article as a trace keeps it."""
    statements = tuple(one for section in article.sections for one in section.statements)
    return Answer(
        article.topic,
        article.text,
        statements,
        article.citations,
        AnswerStatus.ANSWER if article.sections else AnswerStatus.DECLINED,
        article.support,
        by=article.by,
        tokens=article.tokens,
        cost=article.cost,
        times=article.times,
        likeness=article.likeness,
    )
