"""What of a step's unit is cited: no more than needed, with the heading that names its subject."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from ...answer import Shape, Unit
from ...core import BlockKind
from ...search import analyser_for
from ...text import Analyser, sentences
from .follow_chain import Path

_FURTHEST = 3  # blocks between a heading and a unit
_LONGEST = 700  # characters of both


def cited_units(path: Path) -> list[Unit]:
    """What is cited of each step of a path."""
    found = []
    for before, step in zip((None, *path.steps), path.steps, strict=False):
        name = step.passed_on or (before.passed_on if before else "")
        analyser = analyser_for(step.judged.unit.document.language)
        unit = narrowed(step.judged.unit, name, step.result.terms, analyser)
        found.append(with_heading(unit, name, analyser))
    return found


def narrowed(unit: Unit, name: str, terms: Collection[str], analyser: Analyser) -> Unit:
    """The sentences of a paragraph that say a name and as much of the question as the whole.

    Parameters
    ----------
    unit : Unit
    name : str
        Also where it does not stand in the unit.
    terms : collection of str
        Of the question.
    analyser : Analyser
    """
    if unit.shape is not Shape.PARAGRAPH:
        return unit
    wanted = frozenset(terms) | frozenset(analyser.terms(name))
    text = unit.document.text
    spans = list(sentences(text, unit.start, unit.end))
    said = [frozenset(analyser.terms(text[start:end])) & wanted for start, end in spans]
    whole = frozenset().union(*said)
    best = (0, len(spans))
    for first in range(len(spans)):
        for after in range(first + 1, len(spans) + 1):
            enough = frozenset().union(*said[first:after]) == whole
            if enough and after - first < best[1] - best[0]:
                best = (first, after)
    start, end = spans[best[0]][0], spans[best[1] - 1][1]
    return replace(unit, start=start, end=end, shape=Shape.SENTENCE)


def with_heading(unit: Unit, name: str, analyser: Analyser) -> Unit:
    """The unit from its heading or term on, where that says a name and the unit does not.

    Parameters
    ----------
    unit : Unit
    name : str
    analyser : Analyser
    """
    blocks = unit.document.blocks
    block = blocks[unit.block]
    missing = frozenset(analyser.terms(name)) - frozenset(unit.terms)
    if not missing or unit.kind is BlockKind.ROW:
        return unit
    for over in (block.header, block.under):
        if over < 0 or blocks[over].kind not in (BlockKind.HEADING, BlockKind.TERM):
            continue
        start = blocks[over].start
        said = frozenset(analyser.terms(unit.document.text[start : blocks[over].end]))
        near = unit.block - over <= _FURTHEST and unit.end - start <= _LONGEST
        if near and missing & said and start < unit.start:
            return replace(unit, start=start, shape=Shape.SECTION)
    return unit
