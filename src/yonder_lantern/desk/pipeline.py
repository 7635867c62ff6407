"""A question on its way through the steps: found, answered, checked, priced, recorded."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import to_builtins

from ..conversation import courtesy_of
from ..core import (
    Answer,
    AnswerStatus,
    Caller,
    CallError,
    Cancel,
    Event,
    Extracted,
    Finished,
    FoundNote,
    NeverCancel,
    Piece,
    ResolvedQuery,
    Route,
    SearchResult,
    Statement,
    Way,
)
from ..index import Snapshot
from ..observe import trace_of
from ..policy import (
    HouseRules,
    as_sent,
    fields_with_their_words,
    revised,
    revised_fields,
    with_their_words,
)
from ..replies import FixedReplies
from ..search import all_documents, find, nothing_searched
from ..settings import ModelProfile, Settings, model_profile
from ..text import one_line
from .answer_from_documents import answer_from_documents
from .citation_age import with_age
from .live_facts import LiveFacts
from .paid_calls import PaidCalls
from .replying import (
    FirstSay,
    Replying,
    and_ask_again,
    as_answer,
    declined_by_rule,
    held_until_whole,
    reply_and_documents,
    said,
)

if TYPE_CHECKING:
    from ..answer import Composer, ModelAnswerer, Prepared, Templates
    from ..answer.style import Style
    from ..platform.services import ModelReply, Prompt

PROMPTS = "prompts"
_SAMPLES = 4  # of the wanted style, for a model
_OF_SAMPLES = 4  # part of its context, in characters: a tenth or less in tokens


@dataclass(frozen=True, slots=True)
class Pipeline:
    """Takes a resolved query through search, answer and record, in one generation of the index."""

    folder: Path
    state: Path
    settings: Settings
    snapshot: Snapshot
    replies: FixedReplies
    calls: PaidCalls
    record: Callable[[dict[str, Any]], str]
    notes: Callable[[SearchResult, Answer], tuple[FoundNote, ...]] = lambda *_: ()
    further: Callable[[SearchResult], SearchResult] = lambda result: result
    style: Callable[[Caller], Style | None] = lambda _: None

    def answer(self, asked: ResolvedQuery, result: SearchResult | None = None) -> Iterator[Event]:
        """The answer as it comes; a record of it is kept also when it breaks off or is left.

        Parameters
        ----------
        asked : ResolvedQuery
        result : SearchResult, optional
            What was found for it, if that is known.
        """
        began = time.perf_counter()
        first = self._first_say(asked)
        if first.answer is not None:
            result = nothing_searched(asked, self.snapshot)
        else:
            result = self.found(asked) if result is None else self.further(result)
        found = time.perf_counter()
        further: list[SearchResult] = []
        answer: Answer | None = None
        written: list[str] = []
        broken_off = "left before its end"
        try:
            for event in self._answer(asked, result, further, first):
                asked.control.check()
                if isinstance(event, Finished):
                    answer = event.answer
                    continue
                if isinstance(event, Piece):
                    written.append(event.text)
                yield event
            broken_off = ""
        except Exception as error:
            broken_off = getattr(error, "what", "") or type(error).__name__
            raise
        finally:
            ended = time.perf_counter()
            times = {
                **result.times,
                "answer": round((ended - found) * 1000, 3),
                "whole": round((ended - began) * 1000, 3),
            }
            whole = answer or Answer(
                asked.question, "".join(written), (), (), AnswerStatus.ANSWER, 0.0
            )
            whole = replace(
                whole,
                question=asked.question,
                times=times,
                citations=with_age(whole.citations, self.snapshot),
                read_as=result.read_as,
                rules=tuple(dict.fromkeys((*asked.rules, *whole.rules))),
                notes=self._beside(asked, result, whole),
                tokens=self.calls.budget.tokens,
                cost=self.calls.budget.spent,  # of a plan, too
                likeness=self._likeness(asked, whole),
            )
            bearing = self.bearing(asked)
            trace = self.record(
                trace_of(result, whole, settings=bearing, further=further, broken_off=broken_off)
            )
        yield Finished(replace(whole, trace=trace))

    def _likeness(self, asked: ResolvedQuery, answer: Answer) -> float | None:
        """How like the wanted style what is said is; None where none is wanted."""
        return self.likeness(asked.caller, answer.statements) if answer.answered else None

    def likeness(self, caller: Caller, statements: Sequence[Statement]) -> float | None:
        """How like the wanted style some statements are; None where none is wanted."""
        style = self.style(caller) if statements else None
        said = " ".join(one.text for one in statements)
        return round(style.likeness(said), 4) if style else None

    def _beside(
        self, asked: ResolvedQuery, result: SearchResult, answer: Answer
    ) -> tuple[FoundNote, ...]:
        """The notes for an answer that was searched for; none where only documents are wanted."""
        wanted = asked.way == "any" and not asked.declined and not answer.courtesy
        return self.notes(result, answer) if wanted and result.terms else ()

    def _answer(
        self,
        asked: ResolvedQuery,
        result: SearchResult,
        further: list[SearchResult],
        first: FirstSay,
    ) -> Iterator[Event]:
        """The answer by whoever gives it: a fixed reply, the documents, or both together."""
        rules = HouseRules(self.settings.house_rule).at("answered")
        if first.answer is not None:
            yield from said(revised(first.answer, rules))
            return
        documents = answer_from_documents(self, asked, result, further, rules)
        looked_up = self._chosen_look_up(asked) if first.answer is None else None
        if looked_up is not None:
            reply = revised(looked_up, rules)
            yield Piece(reply.text)
            whole, added = reply_and_documents(reply, (yield from held_until_whole(documents)))
            yield Piece(added)
            yield Finished(whole)
        elif asked.dialogue is not None:  # a question in between
            yield from and_ask_again(documents, self.replies.still_asks(asked), asked)
        elif not first.may_replace or first.candidate is None:
            for event in documents:
                if isinstance(event, Finished) and first.candidate is not None:
                    replying = Replying(self.replies, self.snapshot)
                    answer = replying.instead(event.answer, first.candidate, asked, rules)
                    yield Finished(answer)
                else:
                    yield event
        elif first.is_part:  # what it looks up is a step of the answer, if that can be had
            answer = yield from held_until_whole(documents)
            if not answer.answered or not any(step.kind == "look up" for step in answer.steps):
                answer = revised(self.replies.answer(first.candidate, asked), rules)
            yield from said(answer)
        elif first.candidate.is_sure:  # what it says goes before the documents
            reply = revised(self.replies.answer(first.candidate, asked), rules)
            yield Piece(reply.text)
            whole, added = reply_and_documents(reply, (yield from held_until_whole(documents)))
            yield Piece(added)
            yield Finished(whole)
        else:  # what the documents say is held back, for the reply may take its place
            replying = Replying(self.replies, self.snapshot)
            answer = yield from held_until_whole(documents)
            answer = replying.instead(answer, first.candidate, asked, rules)
            yield from said(answer)

    def _chosen_look_up(self, asked: ResolvedQuery) -> Answer | None:
        """What a model chose to look up for a question, if it may and did."""
        names = self.settings.answer.look_ups
        if not names or not self.settings.answer.model or not asked.documents:
            return None
        from ..answer import choice_in
        from ..platform.services import Prompt

        question = self.sent.applied(asked.question)
        choices = self.replies.for_model(names, asked)
        if question.declined or not choices or asked.way != "any":
            return None
        values = {"look_ups": choices, "question": question.tidy}
        prompt = Prompt("", self.templates().filled("look_up.j2", values))
        model, profile = self.model()
        reply = self.send(profile, model.name, asked.control)(prompt)
        name, given = choice_in(reply.text)
        if name not in {one["name"] for one in choices}:
            return None
        return self.replies.chosen(name, given, asked)

    def drafted_question(self, passage: str, control: Cancel) -> str:
        """What a model replies that is to write a question which a passage answers.

        Empty where a house rule keeps the passage from being sent.
        """
        return self.reply_about("draft_question.j2", passage, control)

    def reply_about(
        self, template: str, stretch: str, control: Cancel, title: str | None = None
    ) -> str:
        """What a model replies of a stretch of a document.

        Empty where a house rule keeps the stretch, or its document's title, from being sent.
        """
        from ..platform.services import Prompt

        sent, named = self.sent.applied(stretch), self.sent.applied(title or "")
        if sent.declined or named.declined:
            return ""
        digest = hashlib.sha256(stretch.encode("utf-8", "surrogatepass")).hexdigest()[:8]
        values = {"passage": sent.text, "fence": f"===== {digest}"}
        if title is not None:
            values["title"] = one_line(named.text)
        prompt = Prompt("", self.templates().filled(template, values))
        model, profile = self.model()
        return self.send(profile, model.name, control)(prompt).text

    def _first_say(self, asked: ResolvedQuery) -> FirstSay:
        """What is said without asking the documents: a house rule, a reply, a courtesy."""
        if asked.declined:
            return FirstSay(declined_by_rule(asked, asked.declined))
        replying = Replying(self.replies, self.snapshot)
        live = self.live_facts(asked) if self.settings.steps.enabled else None
        first = replying.first_say(asked, live)
        if first.answer is not None or not asked.documents:
            return first
        courtesy = courtesy_of(asked.question) if asked.dialogue is None else ""
        if courtesy and not first.may_replace:
            return FirstSay(self._courtesy(courtesy, asked))
        if asked.way == "replies":
            return FirstSay(replying.alone(first.candidate, asked))
        return first

    def _courtesy(self, courtesy: str, asked: ResolvedQuery) -> Answer:
        values = {
            "courtesy": courtesy,
            "organisation": self.settings.desk.name,
            "values": asked.values,
        }
        text = self.templates().filled("courtesy.j2", values)
        route = Route(Way.COURTESY, courtesy, "it asks nothing of the documents")
        return Answer(
            asked.question, text, (), (), AnswerStatus.ANSWER, 1.0, courtesy=courtesy, route=route
        )

    def composer(self) -> Composer:
        """What answers in the words of the sources."""
        from ..answer import Composer

        return Composer(
            self.settings.answer,
            self.snapshot.embedding,
            self.templates(),
            self.settings.desk.name,
        )

    def live_facts(self, asked: ResolvedQuery) -> LiveFacts:
        """What look-ups tell of a question's steps."""
        return LiveFacts(self.replies, self.snapshot.embedding, asked)

    def bearing(self, asked: ResolvedQuery) -> dict[str, Any]:
        """The settings that bear on an answer."""
        settings = self.settings.find
        return {
            "find": {**to_builtins(settings), "limit": asked.limit_or(settings.limit)},
            "answer": to_builtins(self.settings.answer),
            "steps": to_builtins(self.settings.steps),
        }

    def prepared(self, asked: ResolvedQuery) -> tuple[Prepared, ModelProfile]:
        """The prompt that a model would get, and its profile.

        Raises
        ------
        CallError
            The desk has no model.
        """
        self.needs_model("the built-in answerer sends no prompt")
        model, profile = self.model(asked.caller)
        found = self.found(asked)
        result, words = as_sent(found, self.sent)
        if asked.declined or words:
            raise CallError(
                "a house rule keeps this question from being sent",
                "house_rule",
                "ask something else, or fix the rule",
            )
        whole = self._whole(found, profile)
        masked = as_sent(whole, self.sent)[0] if whole else None
        return model.prepare(result, whole=masked), profile

    @property
    def sent(self) -> HouseRules:
        """The house rules of what is sent to a model."""
        return HouseRules(self.settings.house_rule).at("sent")

    def extract(self, asked: ResolvedQuery, schema: Any) -> Extracted:
        """The object of a schema that the documents give for a question; a record is kept."""
        from ..answer import Extractor, shape_of

        began = time.perf_counter()
        shape = shape_of(schema)
        filled: Extracted
        rules = HouseRules(self.settings.house_rule).at("answered")
        if asked.declined:
            raise CallError(asked.declined, "house_rule", "ask something else, or fix the rule")
        result = self.found(asked)
        further: list[SearchResult] = []
        if self.settings.answer.model:
            found, words = as_sent(result, self.sent)
            if words:
                raise CallError(words, "house_rule", "ask something else, or fix the rule")
            model, profile = self.model()
            filler = model.filler(found, shape, self.send(profile, model.name, asked.control))
            filled = fields_with_their_words(filler.fill(asked.question, shape), result)
        else:

            def search(question: str) -> SearchResult:
                further.append(self.found(replace(asked, question=question)))
                return further[-1]

            filled = Extractor(self.composer(), search, self.settings.answer.min_support).fill(
                asked.question, shape
            )
        times = {"whole": round((time.perf_counter() - began) * 1000, 3)}
        filled = revised_fields(filled, rules)
        cited = with_age(filled.citations, self.snapshot)
        filled = replace(filled, question=asked.question, times=times).with_citations(cited)
        trace = trace_of(result, as_answer(filled), settings=self.bearing(asked), further=further)
        return replace(filled, trace=self.record(trace))

    def standing_alone(self, question: str, recap: str) -> str:
        """A question that leans on a conversation, as the model words it to stand alone.

        Parameters
        ----------
        question : str
        recap : str
            Of the conversation.

        Returns
        -------
        str
            Empty where no model answers, a house rule keeps it from being sent, or what comes back
            is no question.
        """
        from ..platform.services import Prompt

        told, asked = self.sent.applied(recap), self.sent.applied(question)
        if not self.settings.answer.model or told.declined or asked.declined:
            return ""
        values = {"recap": told.text, "question": asked.tidy}
        prompt = Prompt("", self.templates().filled("follow_up.j2", values))
        model, profile = self.model()
        reply = self.send(profile, model.name, NeverCancel())(prompt)
        text = " ".join(reply.text.split()).strip('"“” ')
        return text if 0 < len(text) <= self.settings.find.question_characters // 4 else ""

    def send(
        self, profile: ModelProfile, name: str, cancel: Cancel
    ) -> Callable[[Prompt], ModelReply]:
        """What sends a prompt to a model within the budget, and gives its reply."""
        return self.calls.sender(profile, name, cancel)

    def leaves_enough(self, prompt: Prompt, result: SearchResult) -> bool:
        """Whether after a prompt the budget is enough for the answer itself."""
        if not self.calls.budget.max_price:
            return True
        model, profile = self.model(result.query.caller)
        answer = model.prepare(as_sent(result, self.sent)[0])
        return self.calls.allow(profile, prompt, answer.prompt)

    def found(self, asked: ResolvedQuery) -> SearchResult:
        """What a search finds, with what statements lead to."""
        return self.further(find(self.snapshot, self.settings.find, asked))

    def templates(self) -> Templates:
        """The desk's own texts."""
        from ..answer import Templates

        return Templates(self.folder / PROMPTS)

    def model(self, caller: Caller | None = None) -> tuple[ModelAnswerer, ModelProfile]:
        """What answers by a model, and its profile.

        Parameters
        ----------
        caller : Caller, optional
            For whom it writes: samples of the style that is wanted are of what they may see.
        """
        from ..answer import ModelAnswerer, read_examples

        profile = model_profile(self.settings, self.folder)
        settings, name = self.settings.answer, self.settings.desk.name
        examples = read_examples(self.folder / settings.examples) if settings.examples else ()
        style = self.style(caller) if caller else None
        shown = style.samples(_SAMPLES, profile.context // _OF_SAMPLES) if style else []
        told = [self.sent.applied(sample) for sample in shown]
        samples = [one.text for one in told if not one.declined]
        answerer = ModelAnswerer(
            settings, profile, self.templates(), name, self.snapshot.embedding, examples, samples
        )
        return answerer, profile

    def _whole(self, found: SearchResult, profile: ModelProfile) -> SearchResult | None:
        """All documents, where the settings want them sent and they could fit."""
        if not self.settings.answer.send_all:
            return None
        return all_documents(self.snapshot, found, profile.context)

    def needs_model(self, otherwise: str) -> None:
        """Refuse what only a model can do."""
        if not self.settings.answer.model:
            fix = "name a model's profile there; see docs/howto/connect-a-model-server.md"
            raise CallError(otherwise, "answer.model", fix)

    def by_model(self, found: SearchResult) -> Iterator[Event]:
        """A model's answer as it comes, checked and paid for."""
        model, profile = self.model(found.query.caller)
        result, words = as_sent(found, self.sent)
        if words:
            yield from said(declined_by_rule(result.query, words))
            return
        documents = found.query.documents
        whole = self._whole(found, profile) if documents else None
        masked = as_sent(whole, self.sent)[0] if whole else None
        prepared = model.prepare(result, documents=documents, whole=masked)
        if not prepared.asks:
            yield from model.answer(result, prepared)
            return
        reservation = self.calls.reserve(profile, model.name, prepared.prompt)
        seen: list[str] = []
        events = model.answer(result, prepared, found.query.control)
        try:
            with self.calls.rate_limit(profile).turn(found.query.control):
                for event in events:
                    if isinstance(event, Piece):
                        seen.append(event.text)
                    elif isinstance(event, Finished):
                        answer = event.answer
                        self.calls.budget.settle(reservation, answer.tokens, answer.cost)
                        yield Finished(with_their_words(answer, whole or found))
                        continue
                    yield event
        finally:
            events.close()  # which closes the connection: the server need not go on
            self.calls.settle_broken_off(reservation, profile, prepared.prompt, "".join(seen))
