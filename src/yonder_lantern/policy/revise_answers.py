"""The rules applied to what goes out: an answer, and what a model is given for one."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..core import (
    Answer,
    AnswerStatus,
    Checked,
    Citation,
    Cited,
    Event,
    ExcludedError,
    Extracted,
    ExtractedField,
    Finished,
    Piece,
    SearchResult,
    Unsupported,
    Withdrawn,
)
from ..settings import DECLINED
from .rules import HouseRules

_MARK = re.compile(r"\[(\d{1,3})\]")
_SENTENCE_END = re.compile(r"(?<=[.!?])\s+|\n")


def revised(answer: Answer, rules: HouseRules) -> Answer:
    """An answer as the rules leave it; declined where they decline it or leave nothing.

    Parameters
    ----------
    answer : Answer
    rules : HouseRules
        Those for what is answered.
    """
    if not rules:
        return answer
    whole = rules.applied(answer.text)
    statements = tuple(
        replace(one, text=applied.text.strip())
        for one in answer.statements
        if (applied := rules.applied(one.text)).text.strip()
    )
    nearest = tuple(
        replace(one, title=rules.applied(one.title).text, quote=rules.applied(one.quote).text)
        for one in answer.nearest
    )
    unsupported = tuple(
        Unsupported(rules.applied(one.sentence).text, rules.applied(one.why).text)
        for one in answer.unsupported
    )
    common = replace(
        answer,
        nearest=nearest,
        suggestions=tuple(rules.applied(one).text for one in answer.suggestions),
        choices=tuple(rules.applied(one).text for one in answer.choices),
        unsupported=unsupported,
        rules=(*answer.rules, *whole.by),
    )
    nothing_left = bool(answer.statements) and not statements
    words = whole.declined or (DECLINED if nothing_left else "")
    if words:
        return declined(common, words)
    left = {int(number) for number in _MARK.findall(whole.tidy)}
    left |= {number for one in statements for number in one.citations}
    return replace(
        common,
        text=whole.tidy,
        statements=statements,
        citations=tuple(_cited(one, rules) for one in answer.citations if one.number in left),
    )


def declined(answer: Answer, words: str) -> Answer:
    """An answer declined with the words of a rule."""
    return replace(
        answer,
        text=words,
        statements=(),
        citations=(),
        nearest=(),
        suggestions=(),
        choices=(),
        missing=(),
        status=AnswerStatus.DECLINED,
    )


def revised_fields(filled: Extracted, rules: HouseRules) -> Extracted:
    """A typed answer as the rules leave it: what they find in a field masks it, or empties it."""
    if not rules:
        return filled
    fields = {}
    for location, one in filled.fields.items():
        said = json.dumps(one.value, ensure_ascii=False)
        applied = rules.applied(said)
        value = one.value
        if applied.text != said or applied.declined:
            masked = isinstance(value, str) and applied.text.strip('" ') and not applied.declined
            value = json.loads(applied.text) if masked else None
        citations = tuple(_cited(citation, rules) for citation in one.citations)
        fields[location] = replace(one, value=value, citations=citations if value else ())
    return replace(filled, value=_filled_in(fields), fields=fields)


def _filled_in(fields: Mapping[str, ExtractedField]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for location, one in fields.items():
        *above, last = [s.replace("~1", "/").replace("~0", "~") for s in location.split("/")[1:]]
        at = found
        for step in above:
            at = at.setdefault(step, {})
        at[last] = one.value
    return found


def _cited(citation: Citation, rules: HouseRules) -> Citation:
    applied = rules.applied(f"{citation.title}\n\n{citation.quote}").text
    title, words = applied[: len(citation.title)], applied[len(citation.title) + 2 :].strip()
    marks = citation.question_words if words == citation.quote else ()  # they are places in it
    return replace(citation, title=title, quote=words, question_words=marks)


def held_back(events: Iterator[Event], rules: HouseRules) -> Iterator[Event]:
    """The events of an answer as it is written, each sentence shown once the rules passed it.

    Parameters
    ----------
    events : iterator of Event
    rules : HouseRules
        Those for what is answered.
    """
    if not rules:
        yield from events
        return
    waiting, over = "", False
    for event in events:
        if isinstance(event, Piece):
            waiting += event.text
            ends = [match.end() for match in _SENTENCE_END.finditer(waiting)]
            ready, waiting = waiting[: ends[-1] if ends else 0], waiting[ends[-1] if ends else 0 :]
        else:
            ready = waiting if isinstance(event, Finished) else ""
        if ready and not over:
            applied = rules.applied(ready)
            over = bool(applied.declined)
            if not over:
                yield Piece(
                    applied.text if not applied.by else re.sub(r"[ \t]{2,}", " ", applied.text)
                )
        if isinstance(event, Finished):
            yield Finished(revised(event.answer, rules))
        elif isinstance(event, Checked) and not over:
            yield Checked(rules.applied(event.wrote).text, rules.applied(event.text).text)
        elif isinstance(event, Cited) and not over:
            yield Cited(_cited(event.citation, rules))
        elif isinstance(event, Withdrawn) and not over:
            yield Withdrawn(rules.applied(event.sentence).text, rules.applied(event.why).text)


def as_sent(result: SearchResult, rules: HouseRules) -> tuple[SearchResult, str]:
    """What a model may be given, and the words that decline asking it at all, if some do.

    Parameters
    ----------
    result : SearchResult
    rules : HouseRules
        Those for what is sent out.
    """
    if not rules:
        return result, ""
    question = rules.applied(result.query.question)
    background = rules.applied(result.query.background)
    documents = {}
    for id_, document in result.documents.items():
        try:
            documents[id_] = rules.document(document)
        except ExcludedError:
            continue
    hits = tuple(
        replace(
            hit,
            title=documents[hit.document].title,
            text=documents[hit.document].text[hit.start : hit.end],
            context_header=rules.applied(hit.context_header).text,
            before="",
            after="",
        )
        for hit in result.hits
        if hit.document in documents
    )
    asked = replace(result.query, question=question.tidy, background=background.tidy)
    words = question.declined or background.declined
    return replace(result, query=asked, hits=hits, documents=documents), words


def with_their_words(answer: Answer, result: SearchResult) -> Answer:
    """An answer from masked documents whose citations say again what stands there."""
    return replace(answer, citations=_as_they_stand(answer.citations, result))


def fields_with_their_words(filled: Extracted, result: SearchResult) -> Extracted:
    """The same for a typed answer."""
    fields = {
        location: replace(one, citations=_as_they_stand(one.citations, result))
        for location, one in filled.fields.items()
    }
    return replace(filled, fields=fields)


def _as_they_stand(citations: Sequence[Citation], result: SearchResult) -> tuple[Citation, ...]:
    found = []
    for one in citations:
        document = result.documents[one.document]
        words = document.text[one.start : one.end]
        marks = one.question_words if words == one.quote else ()
        found.append(
            replace(
                one,
                quote=words,
                version=document.version,
                title=document.title,
                question_words=marks,
            )
        )
    return tuple(found)
