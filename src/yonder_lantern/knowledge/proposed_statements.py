"""Statements that a model proposes for a stretch of a document: kept where its words say so."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..core import Document, EntityStatement
from ..text import sentences, words
from .sentence_forms import LONGEST_NAME, LONGEST_VALUE

_LINE = re.compile(
    r"^\s*(?:[-*]|\d+[.)])?\s*(?P<subject>[^|\n]+)\|(?P<relation>[^|\n]+)\|(?P<object>[^|\n]+)$",
    re.M,
)
_DENIALS = frozenset({"not", "no", "never", "cannot", "neither", "nor", "without", "unless"})


def proposed_in(reply: str, document: Document, start: int, end: int) -> Iterator[EntityStatement]:
    """The statements of a reply that a stretch of a document bears out.

    One sentence must hold subject, object and the relation's words, word for word; the span is from
    the one to the other. What a sentence denies must be proposed as denied.

    Parameters
    ----------
    reply : str
        A statement a line: subject, relation and object, parted by bars.
    document : Document
    start, end : int
        What the model was shown.
    """
    within = [
        span
        for block in document.blocks
        if start <= block.start and block.end <= end
        for span in sentences(document.text, block.start, block.end)
    ]
    seen = set()
    for line in _LINE.finditer(reply):
        subject, relation, value = (" ".join(one.split()) for one in line.groups())
        if len(subject) > LONGEST_NAME or max(len(relation), len(value)) > LONGEST_VALUE:
            continue
        if (subject, relation, value) in seen:
            continue
        for low, high in within:
            span = _bearing_out(document.text[low:high], subject, relation, value)
            if span is None:
                continue
            seen.add((subject, relation, value))
            told = (subject, relation, value)
            at = (low + span[0], low + span[1])
            yield EntityStatement.read_from(document, told, at, "model")
            break


def _bearing_out(sentence: str, subject: str, relation: str, value: str) -> tuple[int, int] | None:
    """The stretch of a sentence from the one to the other, if the relation's words are in it."""
    span = _nearest(sentence, subject, value)
    if span is None:
        return None
    said = _folded(sentence[span[0] : span[1]])
    related = _folded(relation)
    if not related <= said:
        return None
    denied = {word for word in said if word in _DENIALS or word.endswith("n't")}
    return span if denied <= related | _folded(subject) | _folded(value) else None


def _folded(text: str) -> set[str]:
    return {word.casefold().replace("’", "'") for word in words(text)}


def _nearest(text: str, subject: str, value: str) -> tuple[int, int] | None:
    """The shortest stretch that has both, each word for word."""
    spots = []
    for one in (subject, value):
        pattern = r"(?<!\w)" + r"\s+".join(map(re.escape, one.split())) + r"(?!\w)"
        spots.append([match.span() for match in re.finditer(pattern, text, re.I)])
    spans = [
        (min(first[0], second[0]), max(first[1], second[1]))
        for first in spots[0]
        for second in spots[1]
        if first[1] <= second[0] or second[1] <= first[0]
    ]
    return min(spans, key=lambda span: span[1] - span[0], default=None)
