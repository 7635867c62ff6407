"""The model answerer: what a model writes from the brief, checked sentence by sentence."""

from __future__ import annotations

import json
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass, replace
from typing import Any

from ..core import Answer, Cancel, Event, Findings, Finished, Money, Piece, Tokens
from ..embedding import Embedding
from ..platform.services.models import ModelReply, Prompt, estimated_tokens, stream_model
from ..settings import AnswerSettings, ModelProfile, without_password
from .checked import CheckedText
from .composer import Composer
from .context import Brief, brief_of
from .evidence import BriefUnits
from .extraction import ModelFiller, Shape
from .extraction.from_model import Asking
from .prompt_templates import NOT_IN_DOCUMENTS, Templates

_OF_FAULTS = 100  # tokens kept free to say what was wrong with a reply


@dataclass(frozen=True, slots=True)
class Prepared:
    """A prompt and the brief it holds; ``documents`` is whether it was to hold one."""

    prompt: Prompt
    brief: Brief
    documents: bool = True

    @property
    def asks(self) -> bool:
        """Whether the model is asked at all: with nothing found, it is not."""
        return bool(self.brief.passages) or not self.documents


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
    """

    def __init__(
        self,
        settings: AnswerSettings,
        profile: ModelProfile,
        templates: Templates,
        organisation: str,
        embedding: Embedding | None,
    ) -> None:
        self._settings = settings
        self._profile = profile
        self._templates = templates
        self._organisation = organisation
        self._embedding = embedding
        self._composer = Composer(settings, embedding, templates)

    def prepare(self, findings: Findings, *, documents: bool = True) -> Prepared:
        """The prompt for a question, exactly as it would be sent.

        Parameters
        ----------
        findings : Findings
        documents : bool, default True
            Whether the passages go with it; without, the question goes alone.

        Raises
        ------
        LimitError
            Not one passage fits into the model's context.
        SettingsError
            A template is wrong.
        """
        own = self._settings
        asked = findings.asked
        instructions = ""
        if documents:
            instructions = self._templates.filled(
                "instructions.j2",
                {
                    "organisation": self._organisation,
                    "manner": own.manner,
                    "length": own.length,
                    "language": own.language,
                    "not_in_documents": NOT_IN_DOCUMENTS,
                },
            )
        values: dict[str, Any] = {"question": asked.question, "background": asked.background}
        bare = self._templates.filled("question.j2", {**values, "passages": ()})
        room = (
            self._profile.context
            - self._profile.answer_tokens
            - self._tokens(instructions)
            - self._tokens(bare)
        )
        brief = Brief((), "", 0)
        if documents:
            brief = brief_of(findings, self._tokens, room)
        question = self._templates.filled(
            "question.j2", {**values, "passages": brief.passages, "fence": brief.fence}
        )
        return Prepared(Prompt(instructions, question), brief, documents)

    def filler(
        self, findings: Findings, shape: Shape, send: Callable[[Prompt], ModelReply]
    ) -> ModelFiller:
        """What fills in the fields of a schema.

        Parameters
        ----------
        findings : Findings
        shape : Shape
        send : callable
            Asks the model.
        """
        schema = json.dumps(shape.schema, ensure_ascii=False)
        values: dict[str, Any] = {"organisation": self._organisation, "schema": schema}
        asked = {"question": findings.asked.question, "background": findings.asked.background}
        bare = self._templates.filled("fields.j2", {**values, "faults": "x " * _OF_FAULTS})
        room = self._profile.context - self._profile.answer_tokens - self._tokens(bare)
        room -= self._tokens(self._templates.filled("question.j2", {**asked, "passages": ()}))
        brief = brief_of(findings, self._tokens, room)
        question = self._templates.filled(
            "question.j2", {**asked, "passages": brief.passages, "fence": brief.fence}
        )

        def prompt(faults: str) -> Prompt:
            told = self._templates.filled("fields.j2", {**values, "faults": faults})
            return Prompt(told, question, shape.schema)

        units = BriefUnits(findings, brief, self._embedding, granted=self._organisation)
        return ModelFiller(Asking(prompt, send, self.name), findings, units)

    def _tokens(self, text: str) -> int:
        return estimated_tokens(self._profile, text)

    def answer(
        self, findings: Findings, prepared: Prepared, cancel: Cancel | None = None
    ) -> Generator[Event, None, None]:
        """The answer as it comes: pieces, citations, withdrawals, and the whole at the end.

        Closing it ends the request.

        Raises
        ------
        OutsideError
            The server cannot be reached, refuses, or breaks off.
        """
        if not prepared.asks:
            declined = self._composer.decline(findings, ())
            yield Piece(declined.text)
            yield Finished(replace(declined, by=self.name))
            return
        if not prepared.documents:
            yield from self._unchecked(findings, prepared, cancel)
            return
        checked = CheckedText(
            findings, prepared.brief, self._settings, self._embedding, self._organisation
        )
        reply = ModelReply("", Tokens(), Money())
        for piece in stream_model(self._profile, prepared.prompt, cancel=cancel):
            if isinstance(piece, ModelReply):
                reply = piece
            else:
                yield Piece(piece)
                yield from checked.add(piece)
        yield from checked.end()
        yield Finished(self._finished(findings, checked, reply))

    @property
    def name(self) -> str:
        """The model's name, for people."""
        return self._profile.name or without_password(self._profile.address)

    def _unchecked(
        self, findings: Findings, prepared: Prepared, cancel: Cancel | None
    ) -> Iterator[Event]:
        for piece in stream_model(self._profile, prepared.prompt, cancel=cancel):
            if isinstance(piece, ModelReply):
                yield Finished(
                    Answer(
                        question=findings.asked.question,
                        text=piece.text,
                        statements=(),
                        citations=(),
                        declined=False,
                        support=0.0,
                        by=self.name,
                        tokens=piece.tokens,
                        cost=piece.cost,
                        cut=piece.cut,
                    )
                )
            else:
                yield Piece(piece)

    def _finished(self, findings: Findings, checked: CheckedText, reply: ModelReply) -> Answer:
        said = len(checked.statements) + len(checked.unsupported)
        share = len(checked.statements) / said if said else 0.0
        told: dict[str, Any] = {"by": self.name, "tokens": reply.tokens, "cost": reply.cost}
        told |= {"unsupported": tuple(checked.unsupported), "cut": reply.cut}
        if not checked.statements or share < self._settings.min_supported:
            declined = self._composer.decline(findings, self._composer.judge(findings))
            return replace(declined, **told)
        support = sum(one.support for one in checked.statements) / len(checked.statements)
        missing = self._composer.missing(findings)
        return Answer(
            question=findings.asked.question,
            text=checked.text,
            statements=tuple(checked.statements),
            citations=tuple(checked.citations),
            declined=False,
            support=support,
            looked_for=tuple(findings.words),
            missing=missing,
            **told,
        )
