"""The model answerer: what a model writes from the brief, checked sentence by sentence."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass, replace
from typing import Any

from ..embedding import Embedding
from ..outside.models import ModelReply, Prompt, estimated_tokens, stream_model
from ..records import (
    Answer,
    BlockKind,
    Cancel,
    Checked,
    Citation,
    Cited,
    Event,
    Findings,
    Finished,
    Money,
    Piece,
    Statement,
    Tokens,
    Unsupported,
    Withdrawn,
)
from ..settings import AnswerSettings, ModelProfile, without_password
from .brief import Brief, brief_of
from .composer import Composer
from .draft import citation_of
from .evidence import BriefUnits
from .marks import ENDED, cited_in, is_refusal
from .templates import NOT_IN_DOCUMENTS, Templates
from .typed import ModelFiller, Shape
from .typed.from_model import Asking
from .units import Unit

_FENCED = re.compile(r"^\s*(```|~~~)")
_MARK_OF_DOUBT = " (not borne out by the documents)"
_PREFIX = re.compile(r"^\s*(?:#+|[-*+]|\d{1,3}[.)])\s+")
_OF_FAULTS = 100  # tokens kept free to say what was wrong with a reply
_ONLY_MARKUP = re.compile(r"^[\s|:\-#*_>]*$")


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
        checked = _Checked(findings, prepared.brief, self._settings, self._embedding,
                           self._organisation)  # fmt: skip
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

    def _finished(self, findings: Findings, checked: _Checked, reply: ModelReply) -> Answer:
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


class _Checked:
    """A model's answer while it comes, each sentence checked when it has ended."""

    def __init__(
        self,
        findings: Findings,
        brief: Brief,
        settings: AnswerSettings,
        embedding: Embedding | None,
        organisation: str,
    ) -> None:
        self._settings = settings
        self._units = BriefUnits(findings, brief, embedding, granted=organisation)
        self._passages = len(brief.passages)
        self._left = ""
        self._code: list[str] | None = None
        self._parts: list[str] = []
        self._language = findings.language
        self.statements: list[Statement] = []
        self.citations: list[Citation] = []
        self.unsupported: list[Unsupported] = []
        self._numbers: dict[tuple[str, int, int], int] = {}

    @property
    def text(self) -> str:
        """What is left of the answer, as Markdown with citation numbers."""
        found = ""
        for part in self._parts:
            if not part.strip() and found.endswith("\n\n"):
                continue  # what stood between is gone
            found += part
        return found.strip("\n").rstrip()

    def add(self, piece: str) -> Iterator[Event]:
        """Take a further piece of the answer in."""
        self._left += piece
        while True:
            if self._code is not None or _FENCED.match(self._left):
                line, newline, rest = self._left.partition("\n")
                if not newline:
                    return
                self._left = rest
                yield from self._code_line(line)
                continue
            match = ENDED.search(self._left)
            # What follows must be there: a mark of citation may still belong to the sentence.
            if match is None or (match.group() != "\n" and match.end() >= len(self._left)):
                return
            said, self._left = self._left[: match.end()], self._left[match.end() :]
            yield from self._taken(said, self._sentence(said))

    def end(self) -> Iterator[Event]:
        """Take the rest in: nothing more comes."""
        if self._code is not None:
            if self._left:
                yield from self._code_line(self._left)
            if self._code is not None:
                yield from self._taken("\n".join(self._code), self._code_block())
        elif self._left:
            yield from self._taken(self._left, self._sentence(self._left))
        self._left = ""

    def _taken(self, wrote: str, events: Iterator[Event]) -> Iterator[Event]:
        """The events of a part, and what of it stands in the answer."""
        before = len(self._parts)
        yield from events
        yield Checked(wrote, "".join(self._parts[before:]))

    def _code_line(self, line: str) -> Iterator[Event]:
        if self._code is None:
            self._code = [line]
            return
        self._code.append(line)
        if _FENCED.match(line):
            wrote = "".join(f"{one}\n" for one in self._code)
            yield from self._taken(wrote, self._code_block())

    def _code_block(self) -> Iterator[Event]:
        lines, self._code = self._code or [], None
        text = "\n".join(lines) + "\n"
        found = self._units.holding([line for line in lines if not _FENCED.match(line)])
        if found is None:
            yield from self._doubted(text, "code: it does not stand there like this")
            return
        number = yield from self._cite(found)
        self.statements.append(Statement(text, BlockKind.CODE, self._language, (number,), 1.0))
        self._parts.append(f"{text}[{number}]\n")

    def _sentence(self, said: str) -> Iterator[Event]:
        if is_refusal(said):
            return
        tail = said[len(said.rstrip()) :]
        cited, bare = cited_in(said.rstrip(), self._passages)
        bare = bare.rstrip()
        if _ONLY_MARKUP.match(bare):
            self._parts.append(bare + tail)
            return
        found, verdict = self._units.supporting(_PREFIX.sub("", bare), cited)
        if not found:
            yield from self._doubted(bare + tail, "; ".join(map(str, verdict.faults)))
            return
        if bare.lstrip().startswith("#"):  # a heading is checked, and cites nothing
            self._parts.append(bare + tail)
            return
        numbers = []
        for unit in found:
            number = yield from self._cite(unit)
            numbers.append(number)
        numbers = sorted(set(numbers))
        kind = BlockKind.ROW if bare.lstrip().startswith("|") else BlockKind.PARAGRAPH
        self.statements.append(
            Statement(bare.strip(), kind, self._language, tuple(numbers), verdict.covered)
        )
        marks = "".join(f"[{number}]" for number in numbers)
        if kind is BlockKind.ROW:
            self._parts.append(f"{bare.rstrip().removesuffix('|').rstrip()} {marks} |{tail}")
        else:
            self._parts.append(f"{bare} {marks}{tail}")

    def _doubted(self, words: str, why: str) -> Iterator[Event]:
        self.unsupported.append(Unsupported(words.strip(), why))
        if self._settings.unsupported == "mark":
            self._parts.append(words.rstrip() + _MARK_OF_DOUBT + words[len(words.rstrip()) :])
        else:
            yield Withdrawn(words.strip(), why)

    def _cite(self, unit: Unit) -> Generator[Event, None, int]:
        mark = (unit.document.id, unit.start, unit.end)
        if mark not in self._numbers:
            self._numbers[mark] = len(self.citations) + 1
            citation = citation_of(self._numbers[mark], unit)
            self.citations.append(citation)
            yield Cited(citation)
        return self._numbers[mark]
