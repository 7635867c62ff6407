"""Which way a question goes, and what a fixed reply or a dialogue says to it."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from ..core import (
    Answer,
    AnswerStatus,
    BlockKind,
    Citation,
    LookedUp,
    ResolvedQuery,
    Route,
    Statement,
    Way,
)
from ..embedding import Embedding
from ..platform.services import fill
from ..settings import DialogueSettings, FixedReplySettings, Settings, StepSettings
from .conditions import holds, known_now
from .dialogue import Dialogue, DialogueTurn
from .look_up import Function, LookUps
from .matching import Match, Phrasings

# From which probability on a reply is given: at once; where the documents give no more than an
# excerpt; where they give nothing. Below the last, down to OFFERED, it is offered.
SURE = 0.95
BEFORE_EXCERPT = 0.9
BEFORE_DECLINING = 0.7
OFFERED = 0.3
_MARGIN = 0.1  # over the next reply
_KEPT = 8  # sets of phrasings: one for each set of callers that see the same replies
Reply = FixedReplySettings | DialogueSettings


@dataclass(frozen=True, slots=True)
class Candidate:
    """The reply or dialogue that a question is most like."""

    of: Reply
    route: Route

    @property
    def is_sure(self) -> bool:
        """Whether it is given without asking the documents."""
        return self.fits(SURE)

    @property
    def adds_documents(self) -> bool:
        """Whether what the documents answer is added to it."""
        return isinstance(self.of, FixedReplySettings) and self.of.documents

    def fits(self, least: float) -> bool:
        """Whether it is meant with at least some probability, and no other nearly as much."""
        return self.route.sure >= least and self.route.sure - self.route.next_sure >= _MARGIN


class FixedReplies:
    """The fixed replies, dialogues and look-ups of a desk. Safe to use from several threads.

    Parameters
    ----------
    settings : Settings
    functions : mapping of str to callable
        What the program gave to be looked up, by name.
    """

    def __init__(self, settings: Settings, functions: Mapping[str, Function]) -> None:
        self._zone = settings.desk.zone
        self._all: list[Reply] = [*settings.fixed_reply, *settings.dialogue]
        self._dialogues = {one.name: one for one in settings.dialogue}
        self.look_ups = LookUps(settings.look_up, functions)
        self._phrasings: OrderedDict[tuple[Any, ...], Phrasings] = OrderedDict()
        self._guard = threading.Lock()

    def __bool__(self) -> bool:
        return bool(self._all)

    def candidate(self, asked: ResolvedQuery, embedding: Embedding | None) -> Candidate | None:
        """The reply that a question is most like, of those that its caller may be given.

        None where there is none at all, or its condition does not hold.
        """
        owned = [at for at, one in enumerate(self._all) if asked.caller.sees(one.audience)]
        if not owned:
            return None
        ranked = self._compared(owned, embedding).ranked(asked.question)
        if not ranked:
            return None
        best = ranked[0]
        following = ranked[1] if len(ranked) > 1 else Match(-1, "", 0.0)
        of = self._all[owned[best.owner]]
        if _flat(best.phrasing) == _flat(asked.question):
            best, following = replace(best, sure=1.0), replace(following, sure=0.0)
        known = known_now(asked, self._zone)
        if isinstance(of, FixedReplySettings) and not holds(of.when, known, _place(of)):
            return None
        way = Way.FIXED_REPLY if isinstance(of, FixedReplySettings) else Way.DIALOGUE
        why = f"{best.sure:.0%} sure that it is meant"
        route = Route(way, of.name, why, best.phrasing, best.sure, following.sure)
        return Candidate(of, route)

    def answer(self, candidate: Candidate, asked: ResolvedQuery) -> Answer:
        """What a reply says, or the first words of a dialogue."""
        known = known_now(asked, self._zone)
        if isinstance(candidate.of, DialogueSettings):
            found: list[LookedUp] = []
            turn = self._dialogue(candidate.of, asked, found).begin(known)
            return self._said(turn, candidate.route, asked, found)
        reply = candidate.of
        looked_up: list[LookedUp] = []
        values = self._values(reply.look_ups, known, asked, looked_up)
        route = replace(candidate.route, look_ups=tuple(looked_up))
        if values is None:
            return Answer(
                asked.question, reply.failed, (), (), AnswerStatus.DECLINED, 0.0, route=route
            )
        whole = {**known, **values}
        cases = (one for one in reply.case if holds(one.when, whole, _place(reply)))
        case = next(cases, None)
        template = case.text if case else reply.text
        if not template:
            route = replace(route, why=f"{route.why}; no case holds")
            return Answer(
                asked.question, reply.failed, (), (), AnswerStatus.DECLINED, 0.0, route=route
            )
        return self._whole(fill(template, whole, _place(reply)), route, asked)

    def go_on(self, asked: ResolvedQuery) -> Answer | None:
        """What the dialogue that is under way says; None where none is."""
        state = asked.dialogue
        settings = self._dialogues.get(state.name) if state else None
        if state is None or settings is None or not asked.caller.sees(settings.audience):
            return None
        found: list[LookedUp] = []
        known = known_now(asked, self._zone)
        turn = self._dialogue(settings, asked, found).go_on(state, asked.question, known)
        if turn.state == state and asked.question.rstrip().endswith("?"):
            return None  # a question in between: the dialogue waits
        route = Route(Way.DIALOGUE, settings.name, turn.why)
        return self._said(turn, route, asked, found)

    def for_model(self, names: tuple[str, ...], asked: ResolvedQuery) -> list[dict[str, Any]]:
        """The look-ups that a model may choose among, of those that the caller may be told."""
        found = []
        for name in names:
            if asked.caller.sees(self.look_ups.settings_of(name).audience):
                about, needs = self.look_ups.described(name)
                found.append({"name": name, "about": about, "needs": needs})
        return found

    def chosen(self, name: str, given: Mapping[str, Any], asked: ResolvedQuery) -> Answer | None:
        """What a look-up says that a model chose; None where it failed.

        Parameters
        ----------
        name : str
        given : mapping
            Values that the model took from the question: texts and numbers, nothing else counts.
        asked : ResolvedQuery
        """
        plain = {key: value for key, value in given.items() if isinstance(value, str | int | float)}
        known = {**plain, **known_now(asked, self._zone)}
        found: list[LookedUp] = []
        values = self._values((name,), known, asked, found)
        if values is None:
            return None
        title = self.look_ups.settings_of(name).title or name
        told = "; ".join(f"{key}: {_listed(value)}" for key, value in values[name].items())
        route = Route(Way.LOOK_UP, name, "the model chose to look it up", look_ups=tuple(found))
        return self._whole(f"{title}: {told}.", route, asked)

    def still_asks(self, asked: ResolvedQuery) -> str:
        """The question of the dialogue that waits, after something else was answered."""
        state = asked.dialogue
        settings = self._dialogues.get(state.name) if state else None
        steps = settings.step if settings else ()
        for one in steps:
            if state and one.name == state.step:
                known = {**known_now(asked, self._zone), **state.values}
                return fill(one.ask, known, f"dialogue {state.name}, step {one.name}")
        return ""

    def _dialogue(
        self, settings: DialogueSettings, asked: ResolvedQuery, found: list[LookedUp]
    ) -> Dialogue:
        def say(template: str, step: StepSettings, known: Mapping[str, Any]) -> str:
            return fill(template, known, f"dialogue {settings.name}, step {step.name}")

        def look_up(step: StepSettings, known: Mapping[str, Any]) -> Mapping[str, Any] | None:
            return self._values(step.look_ups, known, asked, found)

        return Dialogue(settings, say, look_up)

    def _said(
        self, turn: DialogueTurn, route: Route, asked: ResolvedQuery, found: list[LookedUp]
    ) -> Answer:
        route = replace(route, why=turn.why or route.why, look_ups=tuple(found))
        answer = self._whole("\n\n".join(turn.texts), route, asked)
        return replace(answer, choices=turn.choices, dialogue=turn.state)

    def _values(
        self,
        names: tuple[str, ...],
        known: Mapping[str, Any],
        asked: ResolvedQuery,
        found: list[LookedUp],
    ) -> dict[str, Any] | None:
        """What is looked up, in order, each able to use those before; None where one fails."""
        values: dict[str, Any] = {}
        for name in names:
            asked.control.check()
            if asked.caller.sees(self.look_ups.settings_of(name).audience):
                one = self.look_ups.look_up(name, {**known, **values}, asked.control)
            else:
                one = LookedUp(name, "", {}, problem="the caller may not be told this")
            found.append(one)
            if one.problem:
                return None
            values[name] = dict(one.values)
        return values

    def _whole(self, text: str, route: Route, asked: ResolvedQuery) -> Answer:
        """A text as an answer that cites what was looked up."""
        moment = datetime.now(UTC).isoformat(timespec="seconds")
        citations: list[Citation] = []
        for one in route.look_ups:
            citations.append(self.look_ups.citation(len(citations) + 1, one, moment))
        marks = "".join(f" [{one.number}]" for one in citations)
        statement = Statement(
            text, BlockKind.PARAGRAPH, "", tuple(one.number for one in citations), 1.0
        )
        return Answer(
            asked.question, text.rstrip() + marks, (statement,), tuple(citations),
            AnswerStatus.ANSWER, 1.0, route=route,
        )  # fmt: skip

    def _compared(self, owned: list[int], embedding: Embedding | None) -> Phrasings:
        key = (embedding.hash if embedding is not None else "", *owned)
        with self._guard:
            known = self._phrasings.get(key)
            if known is None:
                known = Phrasings([self._all[at].phrasings for at in owned], embedding)
                self._phrasings[key] = known
                while len(self._phrasings) > _KEPT:
                    self._phrasings.popitem(last=False)
        return known


def _listed(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)


def _flat(text: str) -> str:
    return " ".join(text.casefold().split()).strip(" ?!.")


def _place(reply: FixedReplySettings) -> str:
    return f"fixed_reply {reply.name}"
