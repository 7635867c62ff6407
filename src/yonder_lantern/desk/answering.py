"""A question on its way through the steps: found, answered, checked, priced, recorded."""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import to_builtins
from msgspec.structs import asdict

from ..conversation import in_full
from ..find import Finder
from ..house_rules import (
    HouseRules,
    as_sent_out,
    fields_with_their_words,
    held_back,
    revised,
    revised_fields,
    with_their_words,
)
from ..index import Snapshot
from ..records import (
    Answer,
    Asked,
    CallError,
    Citation,
    Event,
    Filled,
    Findings,
    Finished,
    Ledger,
    LimitError,
    Money,
    Piece,
    Spent,
    Tokens,
)
from ..settings import ModelProfile, Settings, load_profile
from ..tracing import trace_of

if TYPE_CHECKING:
    from ..answer import ModelAnswerer, Prepared, Templates
    from ..outside.models import ModelReply, Prompt
    from ..outside.turns import Turns

PROMPTS = "prompts"


@dataclass(frozen=True, slots=True)
class Answering:
    """What answering needs of a desk."""

    folder: Path
    state: Path
    settings: Settings
    snapshot: Snapshot
    ledger: Ledger

    def events(
        self, asked: Asked, limit: int | None, *, documents: bool = True
    ) -> Iterator[Event | dict[str, Any]]:
        """The answer as it comes; at the end its trace, and the whole answer.

        Parameters
        ----------
        asked : Asked
        limit : int or None
            How many passages are read; `find.limit` without.
        documents : bool, default True
            Whether a model gets the passages.
        """
        from ..answer import BuiltInAnswerer, Composer  # only here: finding need not wait

        began = time.perf_counter()
        findings = self._found(asked, limit)
        answering = time.perf_counter()
        further: list[Findings] = []
        answer: Answer | None = None
        rules = HouseRules(self.settings.house_rule).at("answered")
        if asked.declined:
            answer = _declined(asked, asked.declined)
            yield Piece(answer.text)
        elif self.settings.answer.model:
            for event in held_back(self._by_model(findings, documents=documents), rules):
                if isinstance(event, Finished):
                    answer = event.answer
                else:
                    yield event
        elif not documents:
            raise CallError(
                "only a model can answer without the documents",
                "answer.model",
                "name a model's profile there; see docs/models.md",
            )
        else:
            composer = Composer(self.settings.answer, self.snapshot.embedding, self._templates())

            def search(question: str, earlier: Sequence[str]) -> Findings:
                own = in_full(question, earlier)
                whole = replace(asked, question=own.question, background=own.background)
                further.append(self._found(whole, limit))
                return further[-1]

            answer = revised(BuiltInAnswerer(composer, search).answer(findings), rules)
            yield Piece(answer.text)
        assert answer is not None
        ended = time.perf_counter()
        times = {
            **findings.times,
            "answer": round((ended - answering) * 1000, 3),
            "whole": round((ended - began) * 1000, 3),
        }
        answer = replace(
            answer,
            question=asked.question,
            times=times,
            citations=_with_age(answer.citations, self.snapshot),
            read_as=findings.read_as,
            rules=tuple(dict.fromkeys((*asked.rules, *answer.rules))),
        )
        yield trace_of(findings, answer, settings=self._bearing(limit), further=further)
        yield Finished(answer)

    def _bearing(self, limit: int | None) -> dict[str, Any]:
        """The settings that bear on an answer."""
        own = self.settings.find
        return {
            "find": {**to_builtins(own), "limit": own.limit if limit is None else limit},
            "answer": asdict(self.settings.answer),
        }

    def prepared(self, asked: Asked, limit: int | None) -> tuple[Prepared, ModelProfile]:
        """The prompt that a model would get, and its profile.

        Raises
        ------
        CallError
            The desk has no model.
        """
        if not self.settings.answer.model:
            raise CallError(
                "the built-in answerer sends no prompt",
                "answer.model",
                "name a model's profile there; see docs/models.md",
            )
        model, profile = self._model()
        findings, words = as_sent_out(self._found(asked, limit), self._sent_out)
        if asked.declined or words:
            raise CallError(
                "a house rule keeps this question from being sent",
                "house_rule",
                "ask something else, or mend the rule",
            )
        return model.prepare(findings), profile

    @property
    def _sent_out(self) -> HouseRules:
        return HouseRules(self.settings.house_rule).at("sent out")

    def filled(self, asked: Asked, limit: int | None, schema: Any) -> tuple[Filled, dict[str, Any]]:
        """The object of a schema that the documents give for a question, and its trace."""
        from ..answer import Composer, Filler, shape_of

        began = time.perf_counter()
        shape = shape_of(schema)
        filled: Filled
        rules = HouseRules(self.settings.house_rule).at("answered")
        if asked.declined:
            raise CallError(asked.declined, "house_rule", "ask something else, or mend the rule")
        findings = self._found(asked, limit)
        further: list[Findings] = []
        if self.settings.answer.model:
            found, words = as_sent_out(findings, self._sent_out)
            if words:
                raise CallError(words, "house_rule", "ask something else, or mend the rule")
            model, profile = self._model()
            filler = model.filler(found, shape, self._send(profile, model.name))
            filled = fields_with_their_words(filler.fill(asked.question, shape), findings)
        else:
            own = self.settings.answer
            composer = Composer(own, self.snapshot.embedding, self._templates())

            def search(question: str) -> Findings:
                further.append(self._found(replace(asked, question=question), limit))
                return further[-1]

            filled = Filler(composer, search, own.min_support).fill(asked.question, shape)
        times = {"whole": round((time.perf_counter() - began) * 1000, 3)}
        filled = revised_fields(filled, rules)
        cited = _with_age(filled.citations, self.snapshot)
        filled = replace(filled, question=asked.question, times=times).with_citations(cited)
        trace = trace_of(
            findings, _as_answer(filled), settings=self._bearing(limit), further=further
        )
        return filled, trace

    def _send(self, profile: ModelProfile, name: str) -> Callable[[Prompt], ModelReply]:
        from ..outside.models import ask_model, most_it_costs

        def send(prompt: Prompt) -> ModelReply:
            self._within_limits(most_it_costs(profile, prompt))
            with self._turns(profile).turn():
                reply = ask_model(profile, prompt)
            self._enter(name, reply.tokens, reply.cost)
            return reply

        return send

    def _turns(self, profile: ModelProfile) -> Turns:
        from ..outside.turns import Turns

        name = hashlib.sha256(profile.address.encode()).hexdigest()[:16]
        folder = self.state / "turns" / name
        return Turns(folder, at_once=profile.at_once, per_minute=profile.per_minute)

    def _found(self, asked: Asked, limit: int | None) -> Findings:
        own = self.settings.find
        return Finder(self.snapshot, own).find(asked, limit=own.limit if limit is None else limit)

    def _templates(self) -> Templates:
        from ..answer import Templates

        return Templates(self.folder / PROMPTS)

    def _model(self) -> tuple[ModelAnswerer, ModelProfile]:
        from ..answer import ModelAnswerer

        profile = load_profile(self.folder / self.settings.answer.model)
        name = self.settings.desk.name
        answerer = ModelAnswerer(
            self.settings.answer, profile, self._templates(), name, self.snapshot.embedding
        )
        return answerer, profile

    def _by_model(self, found: Findings, *, documents: bool) -> Iterator[Event]:
        from ..outside.models import estimated_tokens, most_it_costs, price_of

        model, profile = self._model()
        findings, words = as_sent_out(found, self._sent_out)
        if words:
            yield Piece(words)
            yield Finished(_declined(findings.asked, words))
            return
        prepared = model.prepare(findings, documents=documents)
        if prepared.asks:
            self._within_limits(most_it_costs(profile, prepared.prompt))
        seen: list[str] = []
        done = False
        try:
            with self._turns(profile).turn():
                for event in model.answer(findings, prepared):
                    if isinstance(event, Piece):
                        seen.append(event.text)
                    elif isinstance(event, Finished):
                        done = True
                        self._enter(model.name, event.answer.tokens, event.answer.cost)
                        yield Finished(with_their_words(event.answer, found))
                        continue
                    yield event
        finally:
            if not done and seen:  # broken off: what came was paid for all the same
                prompt = prepared.prompt
                read = estimated_tokens(profile, prompt.instructions + prompt.question)
                tokens = Tokens(read, estimated_tokens(profile, "".join(seen)), estimated=True)
                self._enter(model.name, tokens, price_of(profile, tokens))

    def _within_limits(self, most: Money) -> None:
        own = self.settings.answer
        if own.max_price and most.amount > Decimal(own.max_price):
            raise LimitError(
                f"this answer may cost up to {most}, more than {own.max_price}",
                "answer.max_price",
                "raise it, read fewer passages (--limit), or lower answer_tokens in the profile",
            )
        if own.max_price_a_day:
            spent = self.ledger.spent_today(most.currency).amount
            if spent + most.amount > Decimal(own.max_price_a_day):
                raise LimitError(
                    f"{spent} {most.currency} have been spent today, and this answer may cost "
                    f"{most}: more than {own.max_price_a_day} in all",
                    "answer.max_price_a_day",
                    "raise it, or wait until tomorrow (UTC); yonder costs shows what was spent",
                )

    def _enter(self, model: str, tokens: Tokens, cost: Money) -> None:
        if tokens.read or tokens.written:
            at = datetime.now(UTC).isoformat(timespec="seconds")
            self.ledger.enter(Spent(at, model, tokens, cost))


def _declined(asked: Asked, words: str) -> Answer:
    """The answer to a question that a house rule declines."""
    return Answer(asked.question, words, (), (), declined=True, support=0.0)


def _as_answer(filled: Filled) -> Answer:
    """A typed answer as a trace keeps it."""
    told = [one.support for one in filled.fields.values() if one.citations]
    return Answer(
        filled.question,
        json.dumps(filled.value, ensure_ascii=False),
        (),
        filled.citations,
        declined=not told,
        support=min(told, default=0.0),
        by=filled.by,
        tokens=filled.tokens,
        cost=filled.cost,
        times=filled.times,
    )


def _with_age(citations: tuple[Citation, ...], snapshot: Snapshot) -> tuple[Citation, ...]:
    """Citations that say when their source was last looked at."""
    known = snapshot.store.sources()
    checked = {}
    for name, source in known.items():
        moment = datetime.fromtimestamp(source.checked_ns / 1e9, UTC)
        checked[name] = moment.isoformat(timespec="seconds") if source.checked_ns else ""
    return tuple(
        replace(one, checked=checked.get(one.document.partition("/")[0], "")) for one in citations
    )
