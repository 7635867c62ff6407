"""What a document says of which things: by its tables, terms, abbreviations and plain sentences."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

from ..core import Block, BlockKind, Document, EntityStatement, heading_trail
from ..text import UNKNOWN, cells_of, explained_abbreviations, sentences
from .entity_names import is_short_form
from .relation_rules import RelationRules

RULES = 2  # goes up when they, or what names come to, change: all is then read anew
_LONGEST_NAME, _LONGEST_VALUE = 60, 160  # characters
_NAME = r"(?:(?:The|A|An|Each|Every)\s+)?(?P<subject>[^\W\d_][\w'’./+-]*(?:\s+[\w'’./+-]+){0,4}?)"
_NO_NAME = re.compile(
    r"\b(?:is|are|was|were|be|been|has|have|had|must|may|can|should|shall|will|would|which|that|who"
    r"|when|if|because|but|and|or|to|you|it|they|we|not|does|do|did|this|these|those|there|such|its"
    r"|their|his|her|our|your|my|each|one|first|second|last|next|other|same|following|above|below"
    r"|here|then|so|also|however|what|where|how|why|all|some|any|most|both|former|latter|with|since"
    r"|while|usually|main|whole)\b",
    re.I,
)
_VAGUE = frozenset(
    "result reason idea point problem thing way rest aim purpose difference example case fact part "
    "end advantage default answer question value option list name note".split()
)
_VALUE = r"(?:[^.;,]|[.,](?=\S)){2,}"  # to the end of the clause; a dot within a name is none
_OPINION = re.compile(
    r"(?:an?|the)\s+(?:\w+\s+)?(?:good|bad|best|better|difficult|easy|nice|great|simple|bit|lot|matter"
    r"|must|mistake|problem|idea|feature)\b",
    re.I,
)
_SECTION = re.compile(r"(?:[A-Z]\.)?\d+(?:\.\d+)+")
_IN_BRACKETS = re.compile(r"\s*\([A-Z]{2,6}s?\)")  # a short form behind its long one
_OFTEN = 3  # times that a term stands in a document, from which it is a label: "Default value"
_PLACED = "kept|stored|held|moored|located|installed|built|defined|published|posted|fitted"
_DONE = "owned|run|replaced|named|made|appointed|written|issued|signed|maintained|managed|designed"
_DOES = (
    "replaces|supersedes|belongs to|reports to|is responsible for|owns|maintains|costs|weighs|"
    "measures|lifts|carries|holds|contains|requires|opens at|closes at|stands at|lies at|lies in|"
    "lies on|lives in|decides|approves|issues|supplies"
)
_BE = "is|are|was|were"
_RELATIONS = (
    rf"(?:{_BE})\s+(?:{_PLACED})\s+(?:in|at|on|under|by|behind)",
    rf"(?:{_BE})\s+(?:{_DONE})\s+(?:by|after|in|for)",
    _DOES,
)
Forms = tuple[tuple[str, re.Pattern[str]], ...]  # a relation, or none if the form holds it


@lru_cache(maxsize=8)
def _forms(declared: str) -> Forms:
    """The forms of sentences that are read; those with a declared relation go first."""
    is_a = re.compile(rf"{_NAME}\s+(?:is|are)\s+(?P<object>(?:an?|the)\s+[^.;]{{8,}})[.;]?$")
    first, *others = [
        ("", re.compile(rf"{_NAME}\s+(?P<relation>{relation})\s+(?P<object>{_VALUE})"))
        for relation in (declared or "(?!)", *_RELATIONS)
    ]
    return (first, ("is", is_a), *others)


def statements_of(
    document: Document, relations: RelationRules | None = None
) -> Iterator[EntityStatement]:
    """What a document says of which things.

    Parameters
    ----------
    document : Document
    relations : RelationRules, optional
        What the settings declare besides.

    Yields
    ------
    EntityStatement
        Each bound to the row, definition or sentence that says so.
    """
    relations = relations or RelationRules()
    for one in _said_in(document, _forms(relations.pattern())):
        relation = relations.named(one.relation)
        yield one if relation == one.relation else replace(one, relation=relation)


def _said_in(document: Document, forms: Forms) -> Iterator[EntityStatement]:
    blocks, text = document.blocks, document.text
    english = document.language in ("en", UNKNOWN, "")
    labels = Counter(_term(document, block) for block in blocks if block.kind is BlockKind.TERM)
    for at, block in enumerate(blocks):
        if block.kind is BlockKind.ROW and block.header >= 0:
            yield from _of_row(document, at)
        elif block.header >= 0 and blocks[block.header].kind is BlockKind.TERM:
            yield from _of_term(document, at, labels)
        elif english and block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            for start, end in sentences(text, block.start, block.end):
                found = _of_sentence(" ".join(text[start:end].split()), forms)
                if found:
                    yield _made(document, *found, start, end, "sentence")
    for short, long in explained_abbreviations(text):
        start = text.find(long)
        if start >= 0 and is_short_form(short, long):
            yield _made(
                document, short, "stands for", long, start, start + len(long), "abbreviation"
            )


def _of_term(document: Document, at: int, labels: Counter[str]) -> Iterator[EntityStatement]:
    """What defines a term; what a label says of the heading it stands under."""
    blocks, text = document.blocks, document.text
    block, term = blocks[at], blocks[blocks[at].header]
    said = text[block.start : block.end].strip()
    between = blocks[block.header + 1 : at]
    name = _term(document, term)
    if not said or not name or len(name) > _LONGEST_NAME or _SECTION.match(name):
        return
    if any(other.header == block.header for other in between):
        return  # only what stands first defines it
    subject, relation = name, "means"
    if labels[name] >= _OFTEN:
        trail = heading_trail(text, blocks, term.under) if term.under >= 0 else ()
        subject, relation = _SECTION.sub("", trail[-1] if trail else "").strip(" ."), name
    if subject and len(subject) <= _LONGEST_NAME:
        yield _made(document, subject, relation, _short(said), block.start, block.end, "term")


def _term(document: Document, block: Block) -> str:
    return " ".join(document.text[block.start : block.end].split()).strip(" :`*")


def _of_row(document: Document, at: int) -> Iterator[EntityStatement]:
    """What the cells of a row say of its first."""
    block = document.blocks[at]
    heads = cells_of(document.header_of(at))
    cells = cells_of(document.text[block.start : block.end])
    if len(heads) != len(cells) or len(cells) < 2:
        return
    name = cells[0].strip(" *_`")
    if not re.search(r"[^\W\d_]{2}", name) or len(name) > _LONGEST_NAME:
        return
    for head, cell in list(zip(heads, cells, strict=True))[1:]:
        relation, value = head.strip(" *_`"), cell.strip(" *_`")
        if relation and re.search(r"\w", value) and len(value) <= _LONGEST_VALUE:
            yield _made(document, name, relation, value, block.start, block.end, "table")


def _of_sentence(said: str, forms: Forms) -> tuple[str, str, str] | None:
    """Subject, relation and object of a sentence of a plain form."""
    if not said[:1].isupper():
        return None
    said = _IN_BRACKETS.sub("", said)
    for relation, form in forms:
        found = form.match(said)
        if not found:
            continue
        subject = found["subject"].strip()
        head = subject.split()[-1].casefold()
        if _NO_NAME.search(subject) or head in _VAGUE or len(subject) > _LONGEST_NAME:
            return None
        value = found["object"].strip(" .:")
        article, *words_of = said.split()
        if article == "The" and len(words_of[: len(subject.split())]) == 1 and subject.islower():
            return None  # "the details": of what?
        if subject.split()[0].casefold().endswith("ing") or _OPINION.match(value):
            return None
        how = relation or " ".join(found["relation"].split())
        return subject, how, _short(value)
    return None


def _short(text: str) -> str:
    flat = " ".join(text.split())
    if len(flat) <= _LONGEST_VALUE:
        return flat
    return flat[: flat.rfind(" ", 0, _LONGEST_VALUE)] + " …"


def _made(
    document: Document, subject: str, relation: str, value: str, start: int, end: int, way: str
) -> EntityStatement:
    return EntityStatement(
        subject=subject,
        relation=relation,
        object=value,
        document=document.id,
        version=document.version,
        start=start,
        end=end,
        audience=tuple(sorted(document.audience)),
        valid_from=document.valid_from.isoformat() if document.valid_from else "",
        valid_until=document.valid_until.isoformat() if document.valid_until else "",
        way=way,
    )
