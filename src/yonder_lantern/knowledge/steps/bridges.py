"""What a unit may name that a question only describes: codes, names, cells, titles, amounts."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from ...answer import Judged, Unit
from ...core import BlockKind, heading_trail
from ...text import Analyser, cells_of

Kind = Literal[
    "named", "subject", "modified", "code", "cell", "name", "begins", "title", "heading", "amount"
]
SURE: tuple[Kind, ...] = ("named", "subject", "code")
LOOSE: tuple[Kind, ...] = ("begins", "modified", "title", "heading")

_LONGEST = 6  # words of a name
_CODE = re.compile(r"\b(?:[A-Z]{1,6}[-/]\d[\w/-]*|[A-Z]{1,4}\d+[A-Z]?)\b")
_NAME = re.compile(
    r"(?<![\w.])(?:[A-Z][\w&.-]*[\w]|[A-Z])(?:(?: of(?: the)?| &)? [A-Z][\w&.-]*[\w])*"
    r"|(?<=[`“\"])[\w./:-]+(?=[`”\"])|\b[a-z]+(?:[-_.][a-z\d]+)+\b"
)
_NUMBERED = re.compile(r"\b([a-z]{3,}) ([A-Z]|\d{1,3})\b(?![\w.,:/-]*\d|[ -](?:[a-z]|per)|['’])")
_SUBJECT = re.compile(
    r"^(?:The |An? )?(?P<name>[\w./+-]+(?: [\w./+-]+){0,2}?)(?:\s*,.{0,40}?)?\s+"
    r"(?:[-–—]\s|(?:is|are|was|were)\s+(?:an?|the)\b)"
)
_BEGINS = re.compile(r"(?:^|[.!?:*]\W*)$")
_MARKED = re.compile(r"\*{1,2}([^*\n]{2,40})\*{1,2}")
_AMOUNT = re.compile(
    r"\b\d[\d.,]*\s*(?:m|metres?|meters?|km|kg|t|tonnes?|tons|knots?|litres?|years?|cm|mm)\b"
)
_FIRST_WORDS = re.compile(
    r"^(?:the|an?|from|to|in|on|at|of|and|or|but|if|it|this|that|he|she)\s+", re.I
)
_NO_NAME = frozenset(
    """the a an this that these those it they he she we you i if when while where who what which how
    no not yes on in at to of for from by with and or but as so than then there here all any
    each every some most both one two three our your their his her its is are was were be been
    has have had do does did nobody everybody anybody something nothing more less about over up
    can may must should will would also only just for note see after before since monday
    tuesday wednesday thursday friday saturday sunday january february march april june july
    august september october november december""".split()
)

_SECTIONS = frozenset(
    """name description options synopsis overview introduction contents notes note examples example
    files author authors bugs history usage summary general miscellaneous environment copyright
    diagnostics standards caveats background""".split()
)  # what headings are called that name nothing


@dataclass(frozen=True, slots=True)
class Bridge:
    """Something that a unit names, by which the next step can ask.

    Attributes
    ----------
    name : str
        As the next question says it.
    kind : str
        How it was found.
    at : int
        Where in the unit it begins; -1 where it stands over it.
    column : str
        What the column is called in whose cell it stands; empty without.
    """

    name: str
    kind: Kind
    at: int = -1
    column: str = ""


def bridges_in(
    judged: Judged, thing: str, question: str, analyser: Analyser, *, amounts: bool = False
) -> list[Bridge]:
    """What a unit names that the question does not, each once.

    Parameters
    ----------
    judged : Judged
    thing : str
        What is looked for: "pump", "who".
    question : str
    analyser : Analyser
    amounts : bool
        Whether an amount is looked for, and nothing else.
    """
    found: dict[str, Bridge] = {}
    said = frozenset(question.casefold().split())
    told = frozenset(analyser.terms(question))
    for one in _amounts(judged) if amounts else _all(judged, thing):
        name = " ".join(one.name.split()).strip(" .,;:*“”\"'|()")
        words = name.split()
        terms = frozenset(analyser.terms(name))
        if one.kind in ("subject", "title"):  # the stem of a word of the question is no word of it
            is_page = name.casefold() == _short_title(judged.unit.document.title).casefold()
            new = not said.issuperset(name.casefold().split()) or (
                is_page and one.kind == "subject"
            )
        else:
            new = bool(terms - told) or (not terms and one.kind in ("code", "named"))
        if not words or len(words) > _LONGEST or (len(name) < 2 and one.kind != "code"):
            continue
        if not new or name.casefold() in _NO_NAME:
            continue
        found.setdefault(name.casefold(), replace(one, name=name))
    return list(found.values())


def _amounts(judged: Judged) -> Iterator[Bridge]:
    text = judged.unit.text
    for match in _AMOUNT.finditer(text):
        yield Bridge(match.group(), "amount", match.start())


def _all(judged: Judged, thing: str) -> Iterator[Bridge]:
    """Everything that a unit names, the surest kinds first."""
    unit = judged.unit
    last = thing.rsplit(maxsplit=1)[-1] if thing and thing != "who" else ""
    if len(last) > 2:
        yield from _named(unit.text, last)
    if match := _SUBJECT.match(unit.text):
        yield Bridge(match["name"], "subject", match.start())
    for match in _CODE.finditer(unit.text):
        yield Bridge(match.group(), "code", match.start())
    for match in _MARKED.finditer(unit.text):
        yield Bridge(match[1], "name", match.start())
    if unit.kind is BlockKind.ROW:
        yield from _cells(unit)
    for match in _NUMBERED.finditer(unit.text):
        if match[1] not in _NO_NAME:
            yield Bridge(match.group(), "named" if match[1] == last else "name", match.start())
    yield from _capitals(unit)
    for over in _over(unit):
        if over.strip(" #*.:").casefold() not in _SECTIONS:
            yield from (Bridge(part, "heading") for part in re.split(r"[,:(]\s*", over))
    yield Bridge(_short_title(unit.document.title), "title")


def _cells(unit: Unit) -> Iterator[Bridge]:
    columns = cells_of(unit.document.header_of(unit.block))
    for number, cell in enumerate(cells_of(unit.text)):
        bare = _FIRST_WORDS.sub("", cell.strip(" *_`"))
        if re.search(r"[^\W\d_]{2}", bare):
            column = columns[number] if number < len(columns) else ""
            yield Bridge(bare, "cell", unit.text.find(cell), column)


def _capitals(unit: Unit) -> Iterator[Bridge]:
    """Names by their capitals, and what stands in quotation marks or has a hyphen or a dot."""
    for match in _NAME.finditer(unit.text):
        name = match.group()
        first = name.split()[0].casefold()
        if first in _NO_NAME:
            name = name[len(first) :].strip()
        begins = " " not in name and _BEGINS.search(unit.text[: match.start()]) is not None
        if name and not (begins and _is_a_word(name, unit)):
            yield Bridge(name, "begins" if begins else "name", match.start())


def _over(unit: Unit) -> Iterator[str]:
    """The last heading, and the term, over a unit."""
    document = unit.document
    block = document.blocks[unit.block]
    trail = heading_trail(document.text, document.blocks, block.under)
    yield from trail[-1:]
    if block.header >= 0 and document.blocks[block.header].kind is BlockKind.TERM:
        yield document.header_of(unit.block)


def _is_a_word(name: str, unit: Unit) -> bool:
    """Whether a name stands in the document without its capital too."""
    return re.search(rf"\b{re.escape(name.casefold())}\b", unit.document.text) is not None


def _named(text: str, last: str) -> Iterator[Bridge]:
    """Names beside the word for the thing: "pontoon F", "the tug *Bess*", "number 4 buoy"."""
    word = re.escape(last)
    after = re.compile(
        rf"\b{word}s?\W{{1,3}}(?P<x>[A-Z]{{1,4}}-?\d[\w/-]*|[A-Z]\b|\d+[A-Z]?\b"
        r"|[A-Z][\w-]+(?: [A-Z][\w-]+)*)",
        re.I if last[0].isupper() else 0,
    )
    for match in after.finditer(text):
        name = match["x"]
        short = len(name) == 1 or name[0].isdigit()
        yield Bridge(f"{last} {name}" if short else name, "named", match.start())
    for match in re.finditer(rf"\b(number \d+) {word}\b", text, re.I):
        yield Bridge(f"{match[1]} {last}", "named", match.start())
    for match in re.finditer(rf"\b([A-Z][\w-]+(?: [A-Z][\w-]+)*) {word}\b", text):
        yield Bridge(match.group(), "named", match.start())
    for match in re.finditer(rf"\b{word} of ((?:[a-z]+ )?[A-Z][\w-]*)", text):
        yield Bridge(f"{last} of {match[1]}", "named", match.start())
    for match in re.finditer(rf"\b((?:[a-z-]+ )?[a-z-]+) {word}\b", text):
        name = _FIRST_WORDS.sub("", match.group())
        if name.casefold() != last and name.split()[0] not in _NO_NAME:
            yield Bridge(name, "modified", match.start())


def _short_title(title: str) -> str:
    """A title without what only says what kind of page it is: "tool(1) - a page"."""
    bare = re.split(r"\s+[-–—|:]\s+|\(\d\w*\)", title.strip())[0]
    return bare.strip()
