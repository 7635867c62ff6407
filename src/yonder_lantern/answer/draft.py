"""A part of an answer before it is numbered: what is quoted, and what stands over it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..core import BlockKind, Citation, Document, Statement, location_of
from .units import Unit
from .write_answer import write


@dataclass(frozen=True, slots=True)
class Draft:
    """What answers one question, in the words of the sources.

    Attributes
    ----------
    units : tuple of Unit
        In the order they are shown.
    supports : tuple of float
        How far each bears the answer out, 0 to 1.
    support : float
        The same for the whole.
    head : str
        What is said before them: worked out from them all if there is a ``formula``,
        else only words that lead on to them.
    formula : str
    choices : tuple of str
        What the question could be about, if that has to be asked back.
    disagree : bool
        Whether the units contradict each other.
    """

    units: tuple[Unit, ...]
    supports: tuple[float, ...]
    support: float
    head: str = ""
    formula: str = ""
    choices: tuple[str, ...] = ()
    disagree: bool = False


@dataclass(frozen=True, slots=True)
class Written:
    """Drafts put together: the text, its statements, what they rest on."""

    text: str
    statements: tuple[Statement, ...]
    citations: tuple[Citation, ...]


def written(drafts: Sequence[Draft]) -> Written:
    """Drafts one after another, each unit numbered once."""
    numbers: dict[tuple[str, int, int], int] = {}
    citations: list[Citation] = []
    statements: list[Statement] = []
    parts: list[str] = []
    for draft in drafts:
        new = []
        for unit, support in zip(draft.units, draft.supports, strict=True):
            mark = unit.span
            if mark not in numbers:
                numbers[mark] = len(citations) + 1
                citations.append(citation_of(numbers[mark], unit.document, unit.start, unit.end))
                new.append((unit, support))
        cited = tuple(numbers[unit.span] for unit in draft.units)
        language = draft.units[0].document.language
        text = draft.head
        if draft.formula:
            text += " " + "".join(f"[{number}]" for number in cited)
            statements.append(
                Statement(
                    draft.head, BlockKind.ROW, language, cited, draft.support, draft.formula
                )
            )  # fmt: skip
        else:
            statements += [
                Statement(
                    unit.text, unit.kind, unit.document.language, (numbers[unit.span],), support
                )
                for unit, support in new
            ]
        body = write([unit for unit, _ in new], [numbers[unit.span] for unit, _ in new])
        parts.append("\n\n".join(filter(None, (text, body))))
    return Written("\n\n".join(filter(None, parts)), tuple(statements), tuple(citations))


def citation_of(
    number: int,
    document: Document,
    start: int,
    end: int,
    question_words: tuple[tuple[int, int], ...] = (),
) -> Citation:
    """A span of a document as a citation."""
    return Citation(
        number=number,
        document=document.id,
        version=document.version,
        title=document.title,
        start=start,
        end=end,
        quote=document.text[start:end],
        location=location_of(document, start, end),
        question_words=question_words,
    )
