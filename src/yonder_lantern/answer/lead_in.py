"""What a sentence or an item needs before it to be understood."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from ..core import BlockKind
from ..search import analyser_for
from .judged import Judged
from .units import Unit, document_units, introduction_of

_SHORTEST, _LONGEST = 5, 45  # terms of a sentence that can stand for others
POINTS_BACK = re.compile(
    r"(?:it|its|they|their|them|this|that|these|those|he|she|his|her|such|then|there|so|but|and|or)\b",
    re.I,
)


def stands_alone(unit: Unit) -> bool:
    """Whether a sentence can be read by itself: neither a mere label nor too long to quote."""
    return (
        _SHORTEST <= len(unit.terms) <= _LONGEST
        and not POINTS_BACK.match(unit.text)
        and not unit.text.rstrip().endswith(":")
    )


def with_lead_ins(chosen: Sequence[Judged]) -> list[Judged]:
    """Units, each after what it leans on: the sentence before "It is …", the words over a list.

    Parameters
    ----------
    chosen : sequence of Judged
        In the order they are to be shown.
    """
    found: list[Judged] = []
    shown = {(one.unit.document.id, one.unit.start) for one in chosen}
    for one in chosen:
        before = _leans_on(one.unit)
        if before is not None and (before.document.id, before.start) not in shown:
            shown.add((before.document.id, before.start))
            found.append(replace(one, unit=before))
        found.append(one)
    return found


def _leans_on(unit: Unit) -> Unit | None:
    if unit.kind is BlockKind.PARAGRAPH and POINTS_BACK.match(unit.text):
        earlier = [
            unit_here for unit_here in _units_in(unit, unit.block) if unit_here.start < unit.start
        ]
        return earlier[-1] if earlier else None
    if unit.kind is BlockKind.ITEM and (over := introduction_of(unit)) >= 0:
        told = [
            unit_here
            for unit_here in _units_in(unit, over)
            if unit_here.kind is BlockKind.PARAGRAPH
        ]
        return told[-1] if told else None
    return None


def _units_in(unit: Unit, block: int) -> list[Unit]:
    document = unit.document
    analyser = analyser_for(document.language)
    return list(document_units(document, analyser, range(block, block + 1), unit.rank))
