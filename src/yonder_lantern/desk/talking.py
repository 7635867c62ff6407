"""Conversations: a question among others, what the person said of themselves, the turn kept."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import UTC, datetime
from typing import Unpack

from ..conversation import (
    NOT_KEPT,
    Conversation,
    Preference,
    Turn,
    labels_of,
    merged,
    recap,
    taken_apart,
)
from ..core import (
    Answer,
    AnswerStatus,
    CallError,
    Event,
    Finished,
    Note,
    Piece,
    Query,
    QueryParts,
    Route,
    Way,
    YonderError,
    query_of,
)
from ..core.outgoing import AnswerOut, as_plain
from ..knowledge import as_note_texts
from ..policy import HouseRules
from .asking import AskingDesk
from .replying import answer_of
from .resolve import narrowed

_LOG = logging.getLogger("yonder_lantern.desk")
_CONTEXT = 600  # tokens of a conversation that a model is given


class TalkingDesk(AskingDesk):
    """The methods of a desk that go on with a conversation."""

    def talk(
        self,
        query: Query | str,
        conversation: Conversation,
        *,
        keep: bool = True,
        **parts: Unpack[QueryParts],
    ) -> tuple[Answer, Turn]:
        """Answer the next question of a conversation and keep the turn.

        Parameters
        ----------
        query : Query or str
            May lean on the turn before it, correct it, or say something of the person ("my boat is
            11 m"), which is kept in ``conversation.preferences``.
        conversation : Conversation
            From ``desk.conversations.start()`` or ``.resume()``; the turn is added, and
            from then on it is for those who see at least what this caller does. Its turns
            come after the query's own earlier questions.
        keep : bool, default True
            Whether the turn is written to the store; without, it lives as long as the value.
        **parts
            Of a `Query`, in place of its own.

        Returns
        -------
        answer : Answer
        turn : Turn
            ``turn.rewritten`` is the question that was searched for.

        Raises
        ------
        CallError
            The conversation was held by someone who sees more.
        """
        answer = answer_of(self.stream_turn(query, conversation, keep=keep, **parts))
        return answer, conversation.turns[-1]

    def leave_conversation(
        self, id_: str, *, by: str = "owner", audience: Iterable[str] | None = None
    ) -> tuple[Note, ...]:
        """Leave what was asked and answered in a conversation as notes, as many as it takes.

        Parameters
        ----------
        id_ : str
        by : str
            Who leaves it.
        audience : iterable of str, optional
            Who may see the notes; as for `NoteBook.leave`.

        Raises
        ------
        CallError
            There is no such conversation, nothing was answered in it, or it quotes what the
            audience may not see: then no note is left.
        """
        conversation = self.conversations.resume(id_)
        answered = [one for one in conversation.turns if one.status == AnswerStatus.ANSWER]
        texts = as_note_texts((one.question, one.answer) for one in answered)
        if not texts:
            raise CallError("nothing was answered in this conversation", id_, "name another")
        book = self.notes
        labels = None if audience is None else tuple(audience)
        for text in texts:  # all of them may be left, or none is
            book.check(text, audience=labels)
        return tuple(
            book.leave(text, by=by, audience=labels, source=f"conversation {id_}, part {part}")
            for part, text in enumerate(texts, 1)
        )

    def stream_turn(
        self,
        query: Query | str,
        conversation: Conversation,
        *,
        keep: bool = True,
        **parts: Unpack[QueryParts],
    ) -> Iterator[Event]:
        """The same as it is written; the turn is kept before the last event comes.

        A turn that is stopped, or left before its end, is kept as far as it was written.

        Parameters
        ----------
        query, conversation, keep, **parts
            As for `talk`.

        Yields
        ------
        Event
            As `stream` does.

        Raises
        ------
        CallError
            As for `talk`.
        """
        whole = query_of(query, parts)
        caller = narrowed(self.caller, whole.audience, whole.as_of, self.settings)
        if conversation.turns and not caller.sees_all_of(conversation.audience):
            raise CallError(
                "this conversation belongs to a caller with wider access",
                f"conversation {conversation.id}",
                "start a new one",
            )
        conversation.audience = labels_of(caller)
        said = HouseRules(self.settings.house_rule).at("asked").applied(whole.text).tidy
        under_way = conversation.dialogue
        if under_way is None:
            sources = [one.name for one in self.settings.source if caller.sees(one.audience)]
            message = taken_apart(said, sources)
            if message.stated:
                stated = merged(conversation.preferences, message.stated)
                conversation.preferences = stated
            if message.stated and not message.question.strip():
                yield from self._noted(said, message.stated, conversation, keep=keep)
                return
        asked = self.resolve(self._among(whole, conversation))
        written: list[str] = []
        answer: Answer | None = None
        try:
            for event in self._answered(whole, asked):
                if isinstance(event, Finished):
                    answer = event.answer
                    became = asked.with_preferences() if answer.preferences else asked
                    self._add(_turn(said, became.rewritten, answer), conversation, keep=keep)
                elif isinstance(event, Piece):
                    written.append(event.text)
                yield event
        finally:
            if answer is None and written:  # stopped: what was shown is kept, and marked as cut
                cut = Answer(said, "".join(written), (), (), AnswerStatus.ANSWER, 0.0, cut=True)
                self._add(_turn(said, asked.rewritten, cut), conversation, keep=keep)

    def _among(self, query: Query, conversation: Conversation) -> Query:
        """A question with what the conversation has to do with it."""
        under_way = conversation.dialogue
        if under_way is not None:
            return replace(query, earlier=(), choices=(), dialogue=under_way)
        preferences = conversation.preferences
        wheres = [one.where for one in preferences if one.where]
        where = " AND ".join(f"({one})" for one in (query.where, *wheres) if one)
        texts = tuple(
            one.text for one in preferences if not one.where and one.text not in query.text
        )
        query = replace(query, where=where, preferences=(*query.preferences, *texts))
        if query.standalone:
            return query
        earlier = (*query.earlier, *conversation.questions)
        if earlier and self.settings.conversations.rewrite == "model":
            alone = self._by_model(query, conversation)
            if alone:
                return replace(query, text=alone, standalone=True)
        return replace(query, earlier=earlier, choices=conversation.choices or query.choices)

    def _by_model(self, query: Query, conversation: Conversation) -> str:
        """The question made to stand alone by the model; empty where it could not."""
        try:
            with self._pipeline() as pipeline:
                return pipeline.standing_alone(query.text, recap(conversation, _CONTEXT))
        except YonderError as error:
            _LOG.warning("the model could not reword a question: %s", error.what)
            return ""

    def _noted(
        self,
        said: str,
        stated: tuple[Preference, ...],
        conversation: Conversation,
        *,
        keep: bool,
    ) -> Iterator[Event]:
        """What is answered to a message that asks nothing."""
        text = f"Noted: {'; '.join(one.text for one in stated)}."
        route = Route(Way.NOTED, why="it says something of the person, and asks nothing")
        answer = Answer(said, text, (), (), AnswerStatus.ANSWER, 1.0, route=route)
        self._add(_turn(said, said, answer), conversation, keep=keep)
        yield Piece(text)
        yield Finished(answer)

    def _add(self, turn: Turn, conversation: Conversation, *, keep: bool) -> None:
        """Put a turn at the end of a conversation, and into the store."""
        if not keep:
            conversation.turns.append(turn)
            return
        try:
            self.conversations.keep(conversation, turn)
        except NOT_KEPT as error:  # a full disk, or a database that is away: answer all the same
            _LOG.warning("the turn could not be kept: %s", error)


def _turn(said: str, rewritten: str, answer: Answer) -> Turn:
    """A turn as it is kept: in the words that the house rules left."""
    return Turn(
        said,
        rewritten,
        answer.text,
        answer.status.value,
        answer.trace,
        datetime.now(UTC).isoformat(timespec="seconds"),
        answer.choices,
        as_plain(AnswerOut.of(replace(answer, question=said))),
    )
