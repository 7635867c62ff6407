"""The answer from the documents: by a model or by the built-in answerer, in steps if needed."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Protocol, cast

from ..conversation import full_question
from ..core import (
    Answer,
    CallError,
    Cancel,
    Event,
    Finished,
    ResolvedQuery,
    SearchResult,
    Step,
    Stepped,
)
from ..policy import HouseRules, held_back, revised
from ..settings import ModelProfile, Settings
from .live_facts import LiveFacts
from .replying import said

if TYPE_CHECKING:
    from ..answer import Composer, ModelAnswerer, Templates
    from ..knowledge.steps import Chain, Planned
    from ..platform.services import ModelReply, Prompt

SendPrompt = Callable[["Prompt"], "ModelReply"]


class Answering(Protocol):
    """What finds and what writes, for one question; see `Pipeline`."""

    @property
    def settings(self) -> Settings:
        """The desk's."""

    @property
    def sent(self) -> HouseRules:
        """The house rules of what is sent to a model."""

    def found(self, asked: ResolvedQuery) -> SearchResult:
        """What a search finds."""

    def composer(self) -> Composer:
        """What answers in the words of the sources."""

    def live_facts(self, asked: ResolvedQuery) -> LiveFacts:
        """What look-ups tell of a question's steps."""

    def templates(self) -> Templates:
        """The desk's own texts."""

    def model(self) -> tuple[ModelAnswerer, ModelProfile]:
        """What answers by a model, and its profile."""

    def send(self, profile: ModelProfile, name: str, cancel: Cancel) -> SendPrompt:
        """What sends a prompt to a model within the budget."""

    def leaves_enough(self, prompt: Prompt, result: SearchResult) -> bool:
        """Whether after a prompt the budget is enough for the answer itself."""

    def by_model(self, found: SearchResult) -> Iterator[Event]:
        """A model's answer as it comes."""


def answer_from_documents(
    pipeline: Answering,
    asked: ResolvedQuery,
    result: SearchResult,
    further: list[SearchResult],
    rules: HouseRules,
) -> Iterator[Event]:
    """The answer as it comes.

    Parameters
    ----------
    pipeline : Answering
    asked : ResolvedQuery
    result : SearchResult
        What one search found for the whole question.
    further : list of SearchResult
        To which what is searched besides is added.
    rules : HouseRules
        What may go out.

    Raises
    ------
    CallError
        The documents are not to be used, and no model answers.
    """
    if not pipeline.settings.answer.model and not asked.documents:
        raise CallError(
            "only a model can answer without the documents",
            "answer.model",
            "name a model's profile there; see docs/howto/connect-a-model-server.md",
        )
    planned: Planned | None = None
    live = pipeline.live_facts(asked)
    if asked.documents and pipeline.settings.steps.enabled:
        planned = yield from _in_steps(pipeline, asked, result, further, live)
    if pipeline.settings.answer.model:
        yield from _by_model(pipeline, result, planned, rules, live)
    elif planned is not None and planned.answer is not None and planned.answer.answered:
        yield from said(revised(planned.answer, rules))
    else:
        answer = _built_in(pipeline, asked, result, further)
        if planned is not None and planned.answer is not None and planned.goes_before(answer):
            answer = planned.answer
        yield from said(revised(answer, rules))


def _by_model(
    pipeline: Answering,
    result: SearchResult,
    planned: Planned | None,
    rules: HouseRules,
    live: LiveFacts,
) -> Iterator[Event]:
    """The model's answer; what the steps took stands first among what it is given."""
    steps: tuple[Step, ...] = ()
    if planned is not None and planned.steps:
        from ..knowledge.steps import merged

        steps = planned.steps
        result = merged(result, planned.results, planned.units)
    for event in held_back(pipeline.by_model(result), rules):
        if isinstance(event, Finished):
            yield Finished(replace(live.cited(event.answer), steps=steps))
        else:
            yield event


def _built_in(
    pipeline: Answering, asked: ResolvedQuery, result: SearchResult, further: list[SearchResult]
) -> Answer:
    """The built-in answer, once more with what the person said of themselves if there is none."""
    from ..answer import BuiltInAnswerer  # only here: finding need not wait

    def search(question: str, earlier: Sequence[str]) -> SearchResult:
        full = full_question(question, earlier)
        whole = replace(asked, question=full.question, background=full.background)
        further.append(pipeline.found(whole))
        return further[-1]

    answerer = BuiltInAnswerer(pipeline.composer(), search)
    answer = answerer.answer(result)
    if asked.preferences and not answer.answered:
        told = pipeline.found(asked.with_preferences())
        further.append(told)
        again = answerer.answer(told)
        if again.answered:
            return replace(again, preferences=asked.preferences)
    return answer


def _in_steps(
    pipeline: Answering,
    asked: ResolvedQuery,
    result: SearchResult,
    further: list[SearchResult],
    live: LiveFacts,
) -> Generator[Event, None, Planned | None]:
    """The steps that a question needs, as they are taken; None where it needs none."""
    from ..knowledge.steps import SeveralSteps

    settings = pipeline.settings
    proposal = None
    if settings.steps.plan == "model" and settings.answer.model:
        prompt = _plan_prompt(pipeline, asked)
        if prompt is None:
            return None
        if pipeline.leaves_enough(prompt, result):  # otherwise it is read by our own rules
            proposal = _proposed_plan(pipeline, prompt, asked)
            if proposal is None:
                return None

    def search(question: str, besides: str) -> SearchResult:
        asked.control.check()
        further.append(pipeline.found(replace(asked, question=question, background=besides)))
        return live.found(question, further[-1]) or further[-1]

    several = SeveralSteps(
        pipeline.composer(), search, settings.steps, settings.answer, live.is_told
    )
    taking = several.answer(result, proposal)
    while True:
        try:
            yield Stepped(next(taking))
        except StopIteration as ended:
            planned = cast("Planned | None", ended.value)
            break
    if planned is None or planned.answer is None:
        return planned
    return replace(planned, answer=live.cited(planned.answer))


def _plan_prompt(pipeline: Answering, asked: ResolvedQuery) -> Prompt | None:
    """What asks a model to take a question apart; None where the question may not be sent."""
    from ..platform.services import Prompt

    question = pipeline.sent.applied(asked.question)
    if question.declined:
        return None
    return Prompt("", pipeline.templates().filled("plan.j2", {"question": question.tidy}))


def _proposed_plan(pipeline: Answering, prompt: Prompt, asked: ResolvedQuery) -> Chain | None:
    """The steps that the model proposes, if any."""
    from ..knowledge.steps import plan_in

    model, profile = pipeline.model()
    return plan_in(pipeline.send(profile, model.name, asked.control)(prompt).text)
