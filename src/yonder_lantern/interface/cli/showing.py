"""How hits, answers and times are shown in a terminal, and as JSON."""

from __future__ import annotations

import re
import shutil
import textwrap
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from ...core import (
    Answer,
    AnswerStatus,
    Article,
    Citation,
    Extracted,
    FoundNote,
    Note,
    Unsupported,
    Way,
)
from .terminal import AMBER, SEA, displayed, echo, faint, style

_MARK = re.compile(r"\[\d+\]")
_ITEM = re.compile(r"[ \t]*(?:[-*+]|\(?\w{1,4}[.)]) ")
_RULE = re.compile(r"\|?(?: ?-{3} ?\|?)+")
_EMPHASIS = re.compile(r"(\*{1,2}|_{1,2})(?=\S)([^*_]+?)(?<=\S)\1(?!\w)")
_HEADING = re.compile(r"#{1,6} +(.*)")
_STRONG = re.compile(r"\*\*([^*]+)\*\*")
_INDENTED: Any = {"initial_indent": "   ", "subsequent_indent": "     "}
_WITHDRAWN = 4
_LINES = 12
_LINES_WITH_WHY = 5


def counted(number: int, what: str) -> str:
    """A number and what it counts: ``1 document``, ``2 documents``."""
    return f"{number:,} {what}{'' if number == 1 else 's'}"


def width() -> int:
    """The width to wrap at."""
    return min(shutil.get_terminal_size((100, 24)).columns, 100)


def answer_text(text: str) -> str:
    """An answer for the terminal: prose wrapped, tables aligned, numbers in amber."""
    shown: list[str] = []
    for paragraph in _paragraphs(text):
        lines = paragraph.splitlines()
        if lines[0].startswith(("```", "~~~")):
            shown.append(paragraph)
        elif len(lines) == 1 and (heading := _HEADING.match(paragraph)):
            shown.append(style(heading[1], bold=True))
        elif any(_ITEM.match(line) for line in lines):
            shown.append("\n".join(map(_wrapped, lines)))
        elif len(lines) > 2 and _RULE.fullmatch(lines[1]):
            shown.append(_aligned(lines))
        elif any(line.startswith("|") for line in lines):
            shown.append(paragraph)
        else:
            shown.append(textwrap.fill(" ".join(paragraph.split()), width()))
    return with_marks("\n\n".join(shown))


def with_marks(text: str) -> str:
    """A text with its citation numbers in amber."""
    return _MARK.sub(lambda m: style(m.group(), fg=AMBER, bold=True), text)


def declined_text(text: str) -> str:
    """The words that decline a question for the terminal: line by line, wrapped."""
    return "\n".join(map(_wrapped, text.splitlines()))


def _wrapped(line: str) -> str:
    """A line of a list or paragraph, wrapped where it is too long."""
    if len(line) <= width():
        return line
    return textwrap.fill(line, width(), subsequent_indent="  " if _ITEM.match(line) else "")


def told(answer: Answer) -> str:
    """What an answer says, for the terminal; the best sentence stands out in an excerpt."""
    text = displayed(answer).text
    if answer.declined:
        return declined_text(text)
    if answer.answered:
        return answer_text(text)
    return _STRONG.sub(lambda m: style(m[1], bold=True), answer_text(text))


def _paragraphs(text: str) -> list[str]:
    """What stands between blank lines, code with blank lines inside it kept in one piece."""
    found: list[str] = []
    fence = ""
    for part in text.split("\n\n"):
        if fence:
            found[-1] += f"\n\n{part}"
        else:
            found.append(part)
            fence = part[:3] if part.startswith(("```", "~~~")) else ""
        if fence and found[-1].count(fence) % 2 == 0:
            fence = ""
    return [part for part in found if part.strip()]


def _aligned(lines: list[str]) -> str:
    """A Markdown table with its columns under each other; too wide a one row by row."""
    rows = [
        [
            _EMPHASIS.sub(r"\2", cell.strip())
            for cell in line.strip().removeprefix("|").removesuffix("|").split("|")
        ]
        for line in (lines[0], *lines[2:])
    ]
    columns = max(map(len, rows))
    rows = [row + [""] * (columns - len(row)) for row in rows]
    sizes = [max(len(row[at]) for row in rows) for at in range(columns)]
    if sum(sizes) + 3 * (columns - 1) > max(width(), 100):
        broad = max(map(len, rows[0]))
        told = [
            "\n".join(
                f"{faint(name.ljust(broad))}   {cell}"
                for name, cell in zip(rows[0], row, strict=True)
                if cell
            )
            for row in rows[1:]
        ]
        return "\n\n".join(told)
    padded = [
        "   ".join(cell.ljust(size) for cell, size in zip(row, sizes, strict=True)).rstrip()
        for row in rows
    ]
    rule = faint("   ".join("─" * size for size in sizes))
    return "\n".join([padded[0], rule, *padded[1:]])


def withdrawn(words: str, why: str) -> str:
    """A sentence that does not hold, as it is told."""
    return f"{style('Withdrawn:', fg=AMBER, bold=True)} {words}" + faint(f"  ({why})")


@dataclass(frozen=True, slots=True)
class Shown:
    """How much of an answer is shown.

    Attributes
    ----------
    citations : int or None
        How many at most.
    whole : bool
        Whether the passages of an excerpt are shown whole.
    support : bool
        Whether it is also said as a number how sure the answer is.
    """

    citations: int | None = None
    whole: bool = False
    support: bool = False


_USUAL = Shown()


def show_answer(answer: Answer, how: Shown = _USUAL) -> None:
    """Print an answer and what it rests on."""
    shown = displayed(answer)
    if answer.courtesy or answer.route.way is Way.NOTED:
        echo(declined_text(shown.text))
        return
    show_read_as(shown.read_as)
    echo(told(answer))
    show_withdrawn(shown.unsupported)
    show_citations(answer, how)


def show_withdrawn(unsupported: Sequence[Unsupported]) -> None:
    """Print the first of what a model wrote and nothing bears out."""
    told = dict.fromkeys(unsupported)
    for one in list(told)[:_WITHDRAWN]:
        echo(withdrawn(one.sentence, one.why))
    if len(told) > _WITHDRAWN:
        echo(faint(f"{len(told) - _WITHDRAWN} more were withdrawn"))


def show_citations(answer: Answer, how: Shown = _USUAL) -> None:
    """Print what an answer rests on, and what it took."""
    answer = displayed(answer)
    if answer.cut:
        why = answer.broke_off or "the model may write no more (answer_tokens)"
        echo(style("Cut off:", fg=AMBER, bold=True) + f" {why}.")
    show_cited(answer.citations, how.citations, quoted=answer.answered or how.whole)
    show_notes(answer.notes)
    echo()
    if answer.rules:
        named = ", ".join(map(repr, answer.rules))
        echo(faint(f"house rule{'s' * (len(answer.rules) > 1)} applied: {named}"))
    echo(what_it_took(answer, *_how_sure(answer, number=how.support)))


def _how_sure(answer: Answer, *, number: bool) -> list[str]:
    """How sure an answer is, or what says it always the same way."""
    if answer.answered and answer.route.way in (Way.FIXED_REPLY, Way.DIALOGUE):
        return [f"{answer.route.way} “{answer.route.name}”"]
    told = [answer.certainty] if answer.answered else []
    if number:
        as_what = " as an excerpt" if answer.status is AnswerStatus.EXCERPT else ""
        told.append(f"support {answer.support:.2f}{as_what}")
    if answer.likeness is not None:
        told.append(f"likeness {answer.likeness:.2f}")
    return told


def show_cited(citations: Sequence[Citation], limit: int | None, *, quoted: bool = True) -> None:
    """Print citations, at most ``limit``: where, how old, and the words unless they were shown."""
    if citations:
        echo()
    for citation in citations[:limit]:
        number = style(f"[{citation.number}]", fg=AMBER, bold=True)
        location = f", {citation.location}" if str(citation.location) else ""
        age = f", read {_when(citation.checked)}" if citation.checked else ""
        echo(f"{number} {style(citation.document, fg=SEA)}{faint(location + age)}")
        if quoted:
            words = f"“{' '.join(citation.quote.split())}”"
            echo(textwrap.fill(words, width(), initial_indent="    ", subsequent_indent="    "))
    if limit is not None and limit < len(citations):
        left = len(citations) - limit
        echo(faint(f"{counted(left, 'more citation')} {'is' if left == 1 else 'are'} not shown"))


def show_notes(notes: Sequence[FoundNote]) -> None:
    """Print the notes beside an answer: nothing of them is in it."""
    if notes:
        echo()
        echo(style("Notes that people left, not part of the answer:", fg=AMBER, bold=True))
    for one in notes:
        show_note(one.note, one)


def show_note(note: Note, found: FoundNote | None = None) -> None:
    """Print a note: who left it, when, for whom, and what it contradicts."""
    note = displayed(note)
    echo(textwrap.fill(note.text, width(), initial_indent="  ", subsequent_indent="  "))
    told = [f"{note.by}, {_when(note.at)}", f"for {', '.join(note.audience)}"]
    told += [f"about {note.about}"] if note.about else []
    told += [f"from {note.source}"] if note.source else []
    told += [f"until {note.valid_until[:10]}"] if note.valid_until else []
    told += [f"withdrawn {note.withdrawn[:10]}"] if note.withdrawn else []
    echo(faint(f"  {note.id[:22]} · {' · '.join(told)}"))
    for place in found.contradicts if found else ():
        echo(style(f"  contradicts {place}", fg=AMBER))
    if found and found.newer:
        echo(style(f"  contradicted by a newer note: {found.newer[:22]}", fg=AMBER))


def what_it_took(answer: Answer | Article | Extracted, *before: str) -> str:
    """Tokens, money, time, and the trace that was kept."""
    told = list(before)
    if answer.by:
        about = "about " if answer.tokens.estimated else ""
        read, wrote = answer.tokens.read, answer.tokens.written
        told.append(f"{answer.by}: {about}{read:,} tokens read, {wrote:,} written")
    told += [f"cost {answer.cost}", f"{(answer.times or {}).get('whole', 0.0):.0f} ms"]
    if answer.trace:
        told.append(f"trace {answer.trace}")
    lines = textwrap.wrap(" · ".join(told), width(), break_on_hyphens=False)
    return faint("\n".join(lines))


def show_read_as(read_as: Mapping[str, str]) -> None:
    for word, meant in read_as.items():
        echo(f"No document has {word!r}: read as {meant!r}.")
    if read_as:
        echo()


def _when(moment: str) -> str:
    """A moment for a person: how long ago, or the day when that is long ago."""
    then = datetime.fromisoformat(moment)
    minutes = int((datetime.now(UTC) - then).total_seconds() // 60)
    if minutes < 1:
        return "just now"
    if minutes < 120:
        return f"{counted(minutes, 'minute')} ago"
    if minutes < 48 * 60:
        return f"{minutes // 60} hours ago"
    return f"on {then.date().isoformat()}"


def say(text: str) -> None:
    """Print a paragraph, folded to the terminal's width."""
    echo(textwrap.fill(text, width()))
