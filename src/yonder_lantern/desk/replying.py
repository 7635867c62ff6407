"""Where fixed replies and the documents meet: which goes first, and what becomes of both."""

from __future__ import annotations

import json
import re
from collections.abc import Generator, Iterator
from dataclasses import dataclass, replace

from ..core import (
    Answer,
    AnswerStatus,
    Event,
    Extracted,
    Finished,
    Piece,
    ResolvedQuery,
    Route,
    Stepped,
    Way,
)
from ..index import Snapshot
from ..policy import HouseRules, revised
from ..replies import BEFORE_DECLINING, BEFORE_EXCERPT, OFFERED, Candidate, FixedReplies
from .live_facts import LiveFacts

_NUMBER = re.compile(r"\[(\d+)\]")


@dataclass(frozen=True, slots=True)
class FirstSay:
    """What fixed replies have to say to a question before the documents are asked.

    Attributes
    ----------
    answer : Answer or None
        The whole answer: nothing else need be asked.
    candidate : Candidate or None
        The reply that comes nearest; where it is sure, it goes before what the documents say.
    is_part : bool
        It tells only what the question's first step asks, and more is asked.
    """

    answer: Answer | None = None
    candidate: Candidate | None = None
    is_part: bool = False

    @property
    def may_replace(self) -> bool:
        """Whether the reply may take the place of what the documents say."""
        return self.candidate is not None and self.candidate.fits(BEFORE_DECLINING)


@dataclass(frozen=True, slots=True)
class Replying:
    """The fixed replies of a desk, in one generation of its index."""

    replies: FixedReplies
    snapshot: Snapshot

    def first_say(self, asked: ResolvedQuery, live: LiveFacts | None = None) -> FirstSay:
        """What is said without asking the documents, and the reply that comes nearest.

        Parameters
        ----------
        asked : ResolvedQuery
        live : LiveFacts, optional
            Where a look-up may be a step of the answer.
        """
        if asked.way == "documents" or not asked.documents or not self.replies:
            return FirstSay()
        going_on = self.replies.go_on(asked)
        if going_on is not None:
            return FirstSay(going_on)
        candidate = self.replies.candidate(asked, self.snapshot.embedding)
        if candidate is None or not candidate.is_sure:
            return FirstSay(candidate=candidate)
        if live is not None and live.is_part_of(candidate):
            return FirstSay(candidate=candidate, is_part=True)
        if candidate.adds_documents and asked.way != "replies":
            return FirstSay(candidate=candidate)
        return FirstSay(self.replies.answer(candidate, asked))

    def alone(self, candidate: Candidate | None, asked: ResolvedQuery) -> Answer:
        """What is said where only fixed replies may answer, and none is sure."""
        if candidate is not None and candidate.fits(BEFORE_DECLINING):
            return self.replies.answer(candidate, asked)
        route = candidate.route if candidate else Route(Way.FIXED_REPLY)
        route = replace(route, why=f"no fixed reply matched: {route.why or 'there is none'}")
        offered = (route.phrasing,) if candidate and candidate.fits(OFFERED) else ()
        return Answer(
            asked.question, "No fixed reply fits this question.", (), (), AnswerStatus.DECLINED,
            0.0, suggestions=offered, route=route,
        )  # fmt: skip

    def instead(
        self, answer: Answer, candidate: Candidate, asked: ResolvedQuery, rules: HouseRules
    ) -> Answer:
        """The reply in place of an answer that is none, or offered beside it."""
        if answer.answered:
            return answer
        least = BEFORE_DECLINING if answer.declined else BEFORE_EXCERPT
        if candidate.fits(least):
            reply = self.replies.answer(candidate, asked)
            why = f"{reply.route.why}, and the documents have no answer"
            return revised(replace(reply, route=replace(reply.route, why=why)), rules)
        if not candidate.fits(OFFERED):
            return answer
        why = f"a reply was only {candidate.route.sure:.0%} sure to be meant, so it is offered"
        route = replace(candidate.route, way=Way.DOCUMENTS, name="", why=why)
        offered = (candidate.route.phrasing, *answer.suggestions)
        text = f"{answer.text}\n\nDid you mean “{candidate.route.phrasing}”?"
        return replace(answer, text=text, suggestions=offered, route=route)


def reply_and_documents(reply: Answer, answer: Answer) -> tuple[Answer, str]:
    """A fixed reply and what the documents say after it, as one answer; and the text added.

    Where the documents have no answer, the reply stands alone.
    """
    if not answer.answered:
        return reply, ""
    shift = len(reply.citations)
    text = _NUMBER.sub(lambda mark: f"[{int(mark[1]) + shift}]", answer.text)
    added = f"\n\n{text}"
    statements = tuple(
        replace(one, citations=tuple(number + shift for number in one.citations))
        for one in answer.statements
    )
    citations = tuple(replace(one, number=one.number + shift) for one in answer.citations)
    whole = replace(
        answer,
        text=reply.text + added,
        statements=(*reply.statements, *statements),
        citations=(*reply.citations, *citations),
        route=replace(reply.route, why=f"{reply.route.why}; the documents add to it"),
        rules=tuple(dict.fromkeys((*reply.rules, *answer.rules))),
    )
    return whole, added


def declined_by_rule(asked: ResolvedQuery, words: str) -> Answer:
    """The answer to a question that a house rule declines."""
    route = Route(Way.HOUSE_RULE, why="a house rule declines it")
    return Answer(asked.question, words, (), (), AnswerStatus.DECLINED, 0.0, route=route)


def and_ask_again(
    documents: Iterator[Event], question: str, asked: ResolvedQuery
) -> Iterator[Event]:
    """An answer from the documents, and after it the question of the dialogue that waits."""
    for event in documents:
        if isinstance(event, Finished):
            waits = f"\n\n{question}"
            yield Piece(waits)
            whole = replace(event.answer, text=event.answer.text + waits)
            yield Finished(replace(whole, dialogue=asked.dialogue))
        else:
            yield event


def answer_of(events: Iterator[Event]) -> Answer:
    """The whole answer that events end with."""
    *_, last = events
    assert isinstance(last, Finished)
    return last.answer


def held_until_whole(events: Iterator[Event]) -> Generator[Event, None, Answer]:
    """The whole answer that events end with; of the others only the steps go out before."""
    for event in events:
        if isinstance(event, Finished):
            return event.answer
        if isinstance(event, Stepped):
            yield event
    raise AssertionError("a stream ends with the whole answer")


def as_answer(filled: Extracted) -> Answer:
    """A typed answer as a trace keeps it."""
    told = [one.support for one in filled.fields.values() if one.citations]
    return Answer(
        filled.question,
        json.dumps(filled.value, ensure_ascii=False),
        (),
        filled.citations,
        status=AnswerStatus.ANSWER if told else AnswerStatus.DECLINED,
        support=min(told, default=0.0),
        by=filled.by,
        tokens=filled.tokens,
        cost=filled.cost,
        times=filled.times,
    )


def said(answer: Answer) -> Iterator[Event]:
    """An answer that is there at once, as events."""
    yield Piece(answer.text)
    yield Finished(answer)
