"""What a document says of which things: by its tables, terms, abbreviations and plain sentences."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, tzinfo

from ..core import Block, BlockKind, Document, EntityStatement, heading_trail
from ..text import UNKNOWN, cells_of, explained_abbreviations, sentences
from .entity_names import is_short_form
from .relation_rules import RelationRules
from .sentence_forms import LONGEST_NAME, LONGEST_VALUE, said_in
from .stated_period import Period, period_of_row, period_of_sentence, within

RULES = 4  # goes up when they, or what names come to, change: all is then read anew
_read = EntityStatement.read_from
_SECTION = re.compile(r"(?:[A-Z]\.)?\d+(?:\.\d+)+")
_OFTEN = 3  # times that a term stands in a document, from which it is a label: "Default value"


def statements_of(
    document: Document, relations: RelationRules | None = None, zone: tzinfo = UTC
) -> Iterator[EntityStatement]:
    """What a document says of which things.

    Parameters
    ----------
    document : Document
    relations : RelationRules, optional
        What the settings declare besides.
    zone : tzinfo, default UTC
        Of the dates between which a row or a sentence says that it holds.

    Yields
    ------
    EntityStatement
        Each bound to the row, definition or sentence that says so.
    """
    relations = relations or RelationRules()
    for one in _said_in(document, relations.pattern(), zone):
        relation = relations.named(one.relation)
        yield one if relation == one.relation else replace(one, relation=relation)


def _said_in(document: Document, declared: str, zone: tzinfo) -> Iterator[EntityStatement]:
    blocks, text = document.blocks, document.text
    english = document.language in ("en", UNKNOWN, "")
    labels = Counter(_term(document, block) for block in blocks if block.kind is BlockKind.TERM)
    for at, block in enumerate(blocks):
        if block.kind is BlockKind.ROW and block.header >= 0:
            yield from _of_row(document, at, zone)
        elif block.kind is BlockKind.TERM:
            continue  # what defines it says something of it
        elif block.header >= 0 and blocks[block.header].kind is BlockKind.TERM:
            yield from _of_term(document, at, labels)
        elif english and block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            for start, end in sentences(text, block.start, block.end):
                said = " ".join(text[start:end].split())
                whole = block.kind is BlockKind.PARAGRAPH or said[:1].isupper()
                found = said_in(said, declared) if whole else None
                if found:
                    subject, relation, value = found
                    one = _read(
                        document, (subject, relation, _short(value)), (start, end), "sentence"
                    )
                    yield _holding(one, period_of_sentence(said, zone))
    for short, long in explained_abbreviations(text):
        start = text.find(long)
        if start >= 0 and is_short_form(short, long):
            yield _read(
                document, (short, "stands for", long), (start, start + len(long)), "abbreviation"
            )


def _of_term(document: Document, at: int, labels: Counter[str]) -> Iterator[EntityStatement]:
    """What defines a term; what a label says of the heading it stands under."""
    blocks, text = document.blocks, document.text
    block, term = blocks[at], blocks[blocks[at].header]
    said = text[block.start : block.end].strip()
    own = [one for one in blocks[block.header + 1 : at] if one.header == block.header]
    if not said or any(one.kind is not BlockKind.TERM for one in own):
        return  # only what stands first defines it
    for one in (term, *own):
        name = _term(document, one)
        if not name or len(name) > LONGEST_NAME or _SECTION.match(name):
            continue
        subject, relation = name, "means"
        if labels[name] >= _OFTEN:
            trail = heading_trail(text, blocks, term.under) if term.under >= 0 else ()
            subject, relation = _SECTION.sub("", trail[-1] if trail else "").strip(" ."), name
        if subject and len(subject) <= LONGEST_NAME:
            yield _read(
                document, (subject, relation, _short(said)), (block.start, block.end), "term"
            )


def _term(document: Document, block: Block) -> str:
    return " ".join(document.text[block.start : block.end].split()).strip(" :`*")


def _of_row(document: Document, at: int, zone: tzinfo) -> Iterator[EntityStatement]:
    """What the cells of a row say of its first."""
    block = document.blocks[at]
    heads = cells_of(document.header_of(at))
    cells = cells_of(document.text[block.start : block.end])
    if len(heads) != len(cells) or len(cells) < 2:
        return
    name = cells[0].strip(" *_`")
    if not re.search(r"[^\W\d_]{2}", name) or len(name) > LONGEST_NAME:
        return
    told = [
        (head.strip(" *_`"), cell.strip(" *_`")) for head, cell in zip(heads, cells, strict=True)
    ][1:]
    period = period_of_row(told, zone)
    for relation, value in told:
        if relation and re.search(r"\w", value) and len(value) <= LONGEST_VALUE:
            one = _read(document, (name, relation, value), (block.start, block.end), "table")
            yield _holding(one, period)


def _holding(one: EntityStatement, period: Period) -> EntityStatement:
    """A statement that holds in a period of its own, within its document's."""
    if period == ("", ""):
        return one
    begins, ends = within(period, (one.valid_from, one.valid_until))
    return replace(one, valid_from=begins, valid_until=ends)


def _short(text: str) -> str:
    flat = " ".join(text.split())
    if len(flat) <= LONGEST_VALUE:
        return flat
    return flat[: flat.rfind(" ", 0, LONGEST_VALUE)] + " …"
