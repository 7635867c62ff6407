"""A unit together with the heading that names what it is about, to be cited with it."""

from __future__ import annotations

from dataclasses import replace

from ...answer import Shape, Unit
from ...core import BlockKind
from ...search import analyser_for
from ...text import Analyser
from .follow_chain import Path

_FURTHEST = 3  # blocks between a heading and a unit
_LONGEST = 700  # characters of both


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


def cited_units(path: Path) -> list[Unit]:
    """What is cited of each step of a path: its unit, with the heading that names what it is of."""
    found = []
    for before, step in zip((None, *path.steps), path.steps, strict=False):
        name = step.passed_on or (before.passed_on if before else "")
        analyser = analyser_for(step.judged.unit.document.language)
        found.append(with_heading(step.judged.unit, name, analyser))
    return found
