"""What a model writes, checked sentence by sentence while it comes."""

from __future__ import annotations

import re
from collections.abc import Generator, Iterator

from ..core import (
    BlockKind,
    Checked,
    Citation,
    Cited,
    Event,
    SearchResult,
    Statement,
    Unsupported,
    Withdrawn,
)
from ..embedding import Embedding
from ..settings import AnswerSettings
from .context import AnswerContext
from .draft import citation_of
from .evidence import ContextUnits
from .marks import ENDED, cited_in, is_refusal
from .sayings import Saying, goes_on, saying, without_preamble
from .units import Unit

_FENCED = re.compile(r"^[ \t]*(```|~~~)")
_MARK_OF_DOUBT = " (not borne out by the documents)"
_PREFIX = re.compile(r"^\s*(?:#+|[-*+]|\d{1,3}[.)])\s+")
_WHOLE = re.compile(r"[.!?:|][\s\"”’»)*_\]\d\[]*$")
_ONLY_MARKUP = re.compile(r"^[\s|:\-#*_>]*$")


class CheckedText:
    """A model's answer while it comes, each sentence checked when it has ended.

    Parameters
    ----------
    result : SearchResult
    context : AnswerContext
        What was put before the model.
    settings : AnswerSettings
        What is done with a sentence that nothing bears out.
    embedding : Embedding or None
    organisation : str
        Its name needs no support.

    Attributes
    ----------
    statements, citations, unsupported : list
        What is borne out, by what, and what is not.
    """

    def __init__(
        self,
        result: SearchResult,
        context: AnswerContext,
        settings: AnswerSettings,
        embedding: Embedding | None,
        organisation: str,
    ) -> None:
        self._settings = settings
        self._units = ContextUnits(result, context, embedding, granted=organisation)
        self._passages = len(context.passages)
        self._left = ""
        self._code: list[str] | None = None
        self._parts: list[str] = []
        self._language = result.language
        self.statements: list[Statement] = []
        self.citations: list[Citation] = []
        self.unsupported: list[Unsupported] = []
        self._numbers: dict[tuple[str, int, int], int] = {}
        self._waiting: list[str] = []  # what stays if what it leads to does
        self._verdict = False  # whether a bare yes or no is among it
        self._untold = ""
        self._said: set[str] = set()

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
            match = self._end()
            # What follows must be there: a mark of citation may still belong to the sentence.
            if match is None or (match.group() != "\n" and match.end() >= len(self._left)):
                return
            said, self._left = self._left[: match.end()], self._left[match.end() :]
            yield from self._taken(said, self._sentence(said))

    def _end(self) -> re.Match[str] | None:
        """Where the first sentence of what is left ends."""
        for match in ENDED.finditer(self._left):
            before, after = self._left[: match.start()], self._left[match.start() :]
            if match.group() == "\n" or not goes_on(before, after):
                return match
        return None

    def end(self, *, cut: bool = False) -> Iterator[Event]:
        """Take the rest in: nothing more comes.

        Parameters
        ----------
        cut : bool, default False
            Whether the model was stopped: a sentence that did not end then says nothing.
        """
        if self._code is not None:
            if self._left:
                yield from self._code_line(self._left)
            if self._code is not None:
                yield from self._taken("\n".join(self._code), self._code_block())
        elif self._left and cut and not _WHOLE.search(self._left):
            yield Checked(self._left, "")
        elif self._left:
            yield from self._taken(self._left, self._sentence(self._left))
        self._left = ""
        if self._untold:  # it led to nothing that stays
            yield Checked(self._untold, "")
            self._untold = ""

    def _taken(self, wrote: str, events: Iterator[Event]) -> Iterator[Event]:
        """The events of a part, and what of it stands in the answer."""
        before = len(self._parts)
        yield from events
        self._untold += wrote
        if self._waiting and len(self._parts) == before:
            return  # told with what it leads to
        yield Checked(self._untold, "".join(self._parts[before:]))
        self._untold = ""

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
        found, changed = self._units.code_like([line for line in lines if not _FENCED.match(line)])
        if found is None:
            yield from self._doubted(text, "code: nothing like it stands there")
            return
        self._stays()
        number = yield from self._cite(found)
        told = ""
        if changed:
            quoted = "; ".join(f"`{line.replace('`', '')}`" for line in changed)
            told = f" (adapted; not in the documents: {quoted})"
        written = sum(bool(line.strip()) for line in lines if not _FENCED.match(line))
        borne_out = 1 - len(changed) / written
        self.statements.append(
            Statement(text, BlockKind.CODE, self._language, (number,), borne_out)
        )
        self._parts.append(f"{text}[{number}]{told}\n")

    def _sentence(self, said: str) -> Iterator[Event]:
        if is_refusal(said):
            return
        tail = said[len(said.rstrip()) :]
        cited, bare = cited_in(said.rstrip(), self._passages)
        bare = bare.rstrip()
        if _ONLY_MARKUP.match(bare):
            (self._waiting if self._waiting else self._parts).append(bare + tail)
            return
        kind_of_saying = saying(bare)
        if kind_of_saying is Saying.STATEMENT and self._units.is_heading(bare):
            kind_of_saying = Saying.LEAD_IN
        if kind_of_saying is not Saying.STATEMENT:
            self._waiting.append(bare + tail)
            self._verdict |= kind_of_saying is Saying.VERDICT
            return
        bare = without_preamble(bare)
        if (said_now := " ".join(bare.casefold().split())) in self._said:
            return  # said once is enough
        self._said.add(said_now)
        found, verdict = self._units.supporting(_PREFIX.sub("", bare), cited)
        if not found:
            yield from self._doubted(bare + tail, "; ".join(map(str, verdict.faults)))
            return
        self._stays()
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

    def _stays(self) -> None:
        """What led to something stays with it."""
        self._parts += self._waiting
        self._waiting, self._verdict = [], False

    def _doubted(self, words: str, why: str) -> Iterator[Event]:
        self.unsupported.append(Unsupported(words.strip(), why))
        if self._verdict:  # nothing bears out what it is the reason for
            self._waiting, self._verdict = [], False
        if self._settings.unsupported == "mark":
            self._stays()
            self._parts.append(words.rstrip() + _MARK_OF_DOUBT + words[len(words.rstrip()) :])
        else:
            yield Withdrawn(words.strip(), why)

    def _cite(self, unit: Unit) -> Generator[Event, None, int]:
        mark = unit.span
        if mark not in self._numbers:
            self._numbers[mark] = len(self.citations) + 1
            citation = citation_of(self._numbers[mark], unit.document, unit.start, unit.end)
            self.citations.append(citation)
            yield Cited(citation)
        return self._numbers[mark]
