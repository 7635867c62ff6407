"""The model answerer: what a model writes from the brief, checked sentence by sentence."""

from __future__ import annotations

import json
from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..core import (
    Answer,
    AnswerStatus,
    Cancel,
    Event,
    Finished,
    Money,
    Piece,
    SearchResult,
    ServiceError,
    Tokens,
)
from ..embedding import Embedding
from ..platform.services import ModelReply, Prompt, estimated_tokens, price_of, stream_model
from ..settings import AnswerSettings, ModelProfile, without_password
from .checked import CheckedText
from .composer import Composer
from .context import AnswerContext, context_of, fits
from .evidence import ContextUnits
from .examples import Example, that_fit
from .extraction import Asking, ModelExtractor, Shape
from .prompt_templates import NOT_IN_DOCUMENTS, Templates

_SHORT = 4000  # tokens of context below which the short prompt is sent
_OF_EXAMPLES = 0.2  # of the context, that worked examples may take
_OF_FAULTS = 100  # tokens kept free to say what was wrong with a reply


@dataclass(frozen=True, slots=True)
class Prepared:
    """A prompt and the brief it holds.

    ``sent`` is what the brief is of; ``documents`` is whether the prompt was to hold one.
    """

    prompt: Prompt
    context: AnswerContext
    sent: SearchResult
    documents: bool = True

    @property
    def asks(self) -> bool:
        """Whether the model is asked at all: with nothing found, it is not."""
        return bool(self.context.passages) or not self.documents


class ModelAnswerer:
    """Answers with a model server, from the brief alone.

    Parameters
    ----------
    settings : AnswerSettings
    profile : ModelProfile
    templates : Templates
    organisation : str
        Its name, for the prompt.
    embedding : Embedding or None
        Of the generation that was searched: words near to each other support each other.
    examples : sequence of Example
        Worked examples that go with a question.
    samples : sequence of str
        Of the style that answers are to have.
    """

    def __init__(
        self,
        settings: AnswerSettings,
        profile: ModelProfile,
        templates: Templates,
        organisation: str,
        embedding: Embedding | None,
        examples: Sequence[Example] = (),
        samples: Sequence[str] = (),
    ) -> None:
        self._settings = settings
        self._examples = examples
        self._samples = samples
        self._profile = profile
        self._templates = templates
        self._organisation = organisation
        self._embedding = embedding
        self._composer = Composer(settings, embedding, templates, organisation)

    def prepare(
        self, result: SearchResult, *, documents: bool = True, whole: SearchResult | None = None
    ) -> Prepared:
        """The prompt for a question, exactly as it would be sent.

        Parameters
        ----------
        result : SearchResult
        documents : bool, default True
            Whether the passages go with it; without, the question goes alone.
        whole : SearchResult, optional
            All documents, which go in place of what was found if there is room for all.

        Raises
        ------
        LimitError
            Not one passage fits into the model's context.
        SettingsError
            A template is wrong.
        """
        settings = self._settings
        asked = result.query
        instructions = ""
        short = self._profile.context < _SHORT
        if documents:
            most = self._profile.context * _OF_EXAMPLES
            instructions = self._templates.filled(
                "instructions.j2",
                {
                    "organisation": self._organisation,
                    "tone": settings.tone,
                    "length": settings.length,
                    "language": settings.language,
                    "not_in_documents": NOT_IN_DOCUMENTS,
                    "examples": that_fit(self._examples, self._tokens, most),
                    "short": short,
                    "values": asked.values,
                    "samples": self._samples[:1] if short else self._samples,
                    "person": settings.style.person,
                },
            )
        values: dict[str, Any] = {
            "question": asked.question,
            "background": asked.background,
            "short": short,
            "values": asked.values,
        }
        bare = self._templates.filled("question.j2", {**values, "passages": ()})
        room = (
            self._profile.context
            - self._profile.answer_tokens
            - self._tokens(instructions)
            - self._tokens(bare)
        )
        context, sent = AnswerContext((), "", 0), result
        if documents and whole is not None and fits(whole, self._tokens, room):
            sent = whole
        if documents:
            context = context_of(sent, self._tokens, room)
        question = self._templates.filled(
            "question.j2", {**values, "passages": context.passages, "fence": context.fence}
        )
        return Prepared(Prompt(instructions, question), context, sent, documents)

    def outline_prompt(self, result: SearchResult, most: int, tokens: float) -> Prompt:
        """The prompt for an outline of a piece about what was searched for.

        Parameters
        ----------
        result : SearchResult
        most : int
            Sections.
        tokens : float
            That its passages may take.
        """
        context = context_of(result, self._tokens, int(tokens))
        values = {
            "organisation": self._organisation,
            "topic": result.query.question,
            "most": most,
            "passages": context.passages,
            "fence": context.fence,
        }
        return Prompt("", self._templates.filled("outline.j2", values))

    def filler(
        self, result: SearchResult, shape: Shape, send: Callable[[Prompt], ModelReply]
    ) -> ModelExtractor:
        """What fills in the fields of a schema.

        Parameters
        ----------
        result : SearchResult
        shape : Shape
        send : callable
            Asks the model.
        """
        schema = json.dumps(shape.schema, ensure_ascii=False)
        values: dict[str, Any] = {
            "organisation": self._organisation,
            "schema": schema,
            "values": result.query.values,
        }
        asked = {"question": result.query.question, "background": result.query.background}
        bare = self._templates.filled("fields.j2", {**values, "faults": "x " * _OF_FAULTS})
        room = self._profile.context - self._profile.answer_tokens - self._tokens(bare)
        room -= self._tokens(self._templates.filled("question.j2", {**asked, "passages": ()}))
        context = context_of(result, self._tokens, room)
        question = self._templates.filled(
            "question.j2", {**asked, "passages": context.passages, "fence": context.fence}
        )

        def prompt(faults: str) -> Prompt:
            told = self._templates.filled("fields.j2", {**values, "faults": faults})
            return Prompt(told, question, shape.schema)

        units = ContextUnits(result, context, self._embedding, granted=self._organisation)
        return ModelExtractor(Asking(prompt, send, self.name), result, units)

    def _tokens(self, text: str) -> int:
        return estimated_tokens(self._profile, text)

    def answer(
        self, result: SearchResult, prepared: Prepared, cancel: Cancel | None = None
    ) -> Generator[Event, None, None]:
        """The answer as it comes: pieces, citations, withdrawals, and the whole at the end.

        Closing it ends the request. Where the server breaks off in mid-answer, what was checked
        so far stays, marked as cut, and what comes closest in the documents stands below it.

        Raises
        ------
        ServiceError
            The server cannot be reached, refuses, or breaks off before the first word.
        """
        if not prepared.asks:
            declined = self._composer.decline(result, ())
            yield Piece(declined.text)
            yield Finished(replace(declined, by=self.name))
            return
        if not prepared.documents:
            yield from self._unchecked(result, prepared, cancel)
            return
        checked = CheckedText(
            prepared.sent, prepared.context, self._settings, self._embedding, self._organisation
        )
        reply = ModelReply("", Tokens(), Money())
        written: list[str] = []
        broke_off = ""
        try:
            for piece in stream_model(self._profile, prepared.prompt, cancel=cancel):
                if isinstance(piece, ModelReply):
                    reply = piece
                else:
                    written.append(piece)
                    yield Piece(piece)
                    yield from checked.add(piece)
        except ServiceError as error:
            if not written:
                raise
            broke_off = error.what
            reply = self._estimated(prepared.prompt, "".join(written))
        yield from checked.end(cut=reply.cut)
        answer = self._finished(result, checked, reply)
        if broke_off and answer.answered:
            below = self._composer.closest_sentences(result, self._composer.words("broke off"))
            answer = replace(answer, text=f"{answer.text}\n\n{below}")
        yield Finished(replace(answer, broke_off=broke_off))

    def _estimated(self, prompt: Prompt, written: str) -> ModelReply:
        """What a reply that broke off took, about."""
        read = self._tokens(prompt.instructions + prompt.question)
        tokens = Tokens(read, self._tokens(written), estimated=True)
        return ModelReply(written, tokens, price_of(self._profile, tokens), True)

    @property
    def name(self) -> str:
        """The model's name, for people."""
        return self._profile.name or without_password(self._profile.address)

    def _unchecked(
        self, result: SearchResult, prepared: Prepared, cancel: Cancel | None
    ) -> Iterator[Event]:
        for piece in stream_model(self._profile, prepared.prompt, cancel=cancel):
            if isinstance(piece, ModelReply):
                yield Finished(
                    Answer(
                        question=result.query.question,
                        text=piece.text,
                        statements=(),
                        citations=(),
                        status=AnswerStatus.ANSWER,
                        support=0.0,
                        by=self.name,
                        tokens=piece.tokens,
                        cost=piece.cost,
                        cut=piece.cut,
                    )
                )
            else:
                yield Piece(piece)

    def _finished(self, result: SearchResult, checked: CheckedText, reply: ModelReply) -> Answer:
        said = len(checked.statements) + len(checked.unsupported)
        share = len(checked.statements) / said if said else 0.0
        told: dict[str, Any] = {"by": self.name, "tokens": reply.tokens, "cost": reply.cost}
        told |= {"unsupported": tuple(checked.unsupported), "cut": reply.cut}
        if not checked.statements or share < self._settings.min_supported:
            closest = self._composer.closest(result, self._composer.judge(result))
            return replace(closest, **told)
        support = sum(one.support for one in checked.statements) / len(checked.statements)
        missing = self._composer.missing(result)
        return Answer(
            question=result.query.question,
            text=checked.text,
            statements=tuple(checked.statements),
            citations=tuple(checked.citations),
            status=AnswerStatus.ANSWER,
            support=support,
            looked_for=tuple(result.words),
            missing=missing,
            **told,
        )
