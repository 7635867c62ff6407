"""Finding, asking and talking: a question on its way through the pipeline."""

from __future__ import annotations

import logging
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, Unpack

from ..core import (
    Answer,
    AnswerStatus,
    Article,
    Event,
    Explanation,
    Extracted,
    Finished,
    FoundNote,
    FoundSpan,
    Hit,
    Money,
    Progress,
    Query,
    QueryParts,
    ResolvedQuery,
    SearchResult,
    no_progress,
    query_of,
)
from ..search import SharedSearch, begin_search, explain, find, result_of, spans_of
from ..text import count_tokens
from .opened_desk import OpenedDesk
from .replying import answer_of

_LOG = logging.getLogger("yonder_lantern.desk")


@dataclass(frozen=True, slots=True)
class PreparedPrompt:
    """What a model would be sent.

    Attributes
    ----------
    instructions, question : str
        The two parts.
    tokens : int
        About how many the model reads.
    passages, left_out : int
        How many are in it, and for how many there was no room.
    most : Money
        What the answer costs at most.
    """

    instructions: str
    question: str
    tokens: int
    passages: int
    left_out: int
    most: Money


class AskingDesk(OpenedDesk):
    """The methods of a desk that take a question."""

    def find(self, query: Query | str, **parts: Unpack[QueryParts]) -> list[Hit]:
        """The passages that fit a question best.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError, LimitError
            The question is empty or too long, or a value is not valid.
        IndexStateError
            Nothing has been gathered, or the index is damaged.
        """
        return list(self.search(query, **parts).hits)

    def search(self, query: Query | str, **parts: Unpack[QueryParts]) -> SearchResult:
        """Like `find`, with everything that was known on the way."""
        asked = self.resolve(query_of(query, parts))
        with self._index.reading() as snapshot:
            return find(snapshot, self.settings.find, asked)

    def find_and_answer(
        self, query: Query | str, depth: int, **parts: Unpack[QueryParts]
    ) -> tuple[list[FoundSpan], Answer]:
        """Where what was found is, to a depth of its own, and the answer.

        All of one search; where the question needed steps, what they took stands first.

        Parameters
        ----------
        query : Query or str
        depth : int
            How many passages to give; the answer rests on as many as the query says.
        **parts
            Of a `Query`, in place of its own.
        """
        whole = query_of(query, parts)
        asked = replace(self.resolve(whole), way="documents")  # what is judged is the documents
        with self._pipeline() as pipeline:
            begin = self._shared.begin if self._shared else begin_search
            began = time.perf_counter()
            search = begin(pipeline.snapshot, self.settings.find, asked)
            usual = result_of(search)
            found = (time.perf_counter() - began) * 1000
            spans = spans_of(search, depth)
            answer = answer_of(pipeline.answer(asked, usual))
        spans = [*_of_steps(answer), *spans]
        times = {**(answer.times or {}), "find": round(found, 3)}
        times["whole"] = round(times.get("whole", 0.0) + found, 3)
        return spans, replace(answer, question=whole.text, times=times)

    def find_notes(self, query: Query | str, **parts: Unpack[QueryParts]) -> list[FoundNote]:
        """The notes that fit a question, and which of them contradict each other.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.
        """
        from .noting import notes_beside

        asked = self.resolve(query_of(query, parts))
        with self._index.reading() as snapshot:
            result = find(snapshot, self.settings.find, asked)
            nothing = Answer(asked.question, "", (), (), AnswerStatus.DECLINED, 0.0)
            return list(notes_beside(self.notes, snapshot, result, nothing))

    def share_search(self, shared: SharedSearch) -> None:
        """Let `find_and_answer` use what others found for the same question."""
        self._shared = shared

    def explain(self, query: Query | str, passage: str, **parts: Unpack[QueryParts]) -> Explanation:
        """Why a passage stands where it does for a question, or is not found.

        Parameters
        ----------
        query : Query or str
        passage : str
            A document's id, with ``#OFFSET`` for another passage than its first.
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The caller sees no such document, or a value is not valid.
        """
        asked = self.resolve(query_of(query, parts))
        settings = self.settings.find
        with self._index.reading() as snapshot:
            search = begin_search(snapshot, settings, asked)
            return explain(search, passage, asked.limit_or(settings.limit))

    def ask(self, query: Query | str, **parts: Unpack[QueryParts]) -> Answer:
        """One grounded, cited answer, or a declined one.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Returns
        -------
        Answer

        Raises
        ------
        CallError, LimitError
            As for `find`; the answer could cost more than is allowed, or not one passage
            fits into the model's context.
        ServiceError
            A model is to answer, and cannot be reached, or replies in another shape.
        """
        return answer_of(self.stream(query, **parts))

    def stream(self, query: Query | str, **parts: Unpack[QueryParts]) -> Iterator[Event]:
        """The same answer as it is written.

        Parameters
        ----------
        query, **parts
            As for `ask`.

        Yields
        ------
        Event
            `Piece` by `Piece` the text; after each sentence `Cited` for what bears it
            out, or `Withdrawn`; last `Finished`, with the whole answer.
        """
        return self._answered(query_of(query, parts))

    def _answered(self, query: Query, resolved: ResolvedQuery | None = None) -> Iterator[Event]:
        """The answer as it comes; the query is worked out at the first event, if it was not."""
        asked = resolved or self.resolve(query)
        with self._pipeline() as pipeline:
            for event in pipeline.answer(asked):
                if isinstance(event, Finished):
                    yield Finished(replace(event.answer, question=query.text))
                else:
                    yield event

    def extract(self, query: Query | str, schema: Any, **parts: Unpack[QueryParts]) -> Extracted:
        """An object of a schema, filled from the documents; each field cites what it rests on.

        Without a model, fields come from rows, metadata, lists and sentences, each by
        a search of its own; with one, from its reply, of which nothing stays that the
        passages do not say. What the documents do not say is None.

        Parameters
        ----------
        query : Query or str
            What it is about: "the visitors' pontoon", "What is known of valve V-3?".
        schema : mapping or class
            A JSON Schema of an object, or a class with ``model_json_schema``.
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The schema is none, or one that cannot be filled.
        ServiceError
            A model's replies do not fit it.
        MissingExtraError
            The package that reads schemas is not installed.
        """
        whole = query_of(query, parts)
        asked = self.resolve(whole)
        with self._pipeline() as pipeline:
            return replace(pipeline.extract(asked, schema), question=whole.text)

    def write(
        self,
        query: Query | str,
        *,
        sections: int = 5,
        voices: Sequence[str] = (),
        progress: Progress = no_progress,
        **parts: Unpack[QueryParts],
    ) -> Article:
        """A longer piece about a topic: an outline, its sections, every statement cited.

        Without a model, the outline is made of the documents' own sections that speak of the
        topic, in their own words; with one, it proposes the outline, and each section is
        searched for, written and checked by itself, all out of one budget.

        Parameters
        ----------
        query : Query or str
            The topic: "the boat lift".
        sections : int, default 5
            At most.
        voices : sequence of str, optional
            Names, for the same piece as a script; the first leads on.
        progress : Progress
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            A house rule declines the topic, or a number or name cannot be taken.
        LimitError
            It could cost more than an answer may.
        ServiceError
            A model is to write, and cannot be reached.
        """
        from .write_article import ArticleOrder, write_article

        order = ArticleOrder(sections, tuple(voices))
        whole = query_of(query, parts)
        asked = self.resolve(whole)
        with self._pipeline() as pipeline:
            return replace(write_article(pipeline, asked, order, progress), topic=whole.text)

    def prompt(self, query: Query | str, **parts: Unpack[QueryParts]) -> PreparedPrompt:
        """Exactly what a model would be sent; nothing is sent.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The desk has no model.
        """
        from ..platform.services import estimated_tokens, most_it_costs

        asked = self.resolve(query_of(query, parts))
        with self._pipeline() as pipeline:
            prepared, profile = pipeline.prepared(asked)
        sent = prepared.prompt
        return PreparedPrompt(
            sent.instructions,
            sent.question,
            tokens=estimated_tokens(profile, sent.instructions + sent.question),
            passages=len(prepared.context.passages),
            left_out=prepared.context.left_out,
            most=most_it_costs(profile, sent),
        )


def _of_steps(answer: Answer) -> list[FoundSpan]:
    """Where what the steps took is."""
    return [
        FoundSpan(one.document, one.start, one.end, count_tokens(one.quote))
        for step in answer.steps
        if (one := step.found) is not None
    ]
