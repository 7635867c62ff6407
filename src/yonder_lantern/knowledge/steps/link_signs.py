"""What tells whether a step found what the next one needs."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields

from ...answer import Judged, Unit
from ...core import BlockKind, SearchResult
from ...search import analyser_for
from ...text import cells_of
from .bridges import LOOSE, SURE, Bridge
from .taken import Taken

_RANK_SCALE = 4.0  # of ranking scores: what is further below is as good as out


@dataclass(frozen=True, slots=True)
class LinkSigns:
    """What tells whether a step found what the next one needs, each between 0 and 1.

    Attributes
    ----------
    first_support, last_support : float
        How far the unit that names the thing, and the one that answers, bear out what was
        asked of them.
    first_below, last_below : float
        How far each ranks below the best of its step.
    first_context, last_context : float
        Share of the step's question that stands in the unit or above it.
    last_form : float
        Whether the unit holds the kind of thing asked for.
    holds : float
        Share of the name that stands in the unit that answers.
    above : float
        The same, with what stands above it.
    rest : float
        Share of the last step's other words that stand in the unit or above it.
    labelled : float
        1 where the unit begins with the name, or its row's first cell is it.
    rare : float
        How few passages the name stands in.
    order : float
        1 for the first name of the unit, less for later ones.
    beside : float
        How near the name stands to a word of what is told of the thing: 1 for the next one.
    column : float
        1 for a cell whose column is called by a word of the step's question.
    both : float
        ``first_context`` times ``rest``: the one without the other is little.
    apart : float
        1 where the two are of different documents.
    sure, cell, loose : float
        1 for a name that stands beside the word for the thing, is what the unit is about, or a
        code; for one in a cell; for one that only begins a sentence or stands over the unit.
    """

    first_support: float
    first_below: float
    first_context: float
    last_support: float
    last_below: float
    last_context: float
    last_form: float
    holds: float
    above: float
    rest: float
    labelled: float
    rare: float
    order: float
    beside: float
    column: float
    both: float
    apart: float
    sure: float
    cell: float
    loose: float


SIGN_NAMES = tuple(field.name for field in fields(LinkSigns))


def first_signs(
    one: Judged, best: Judged, order: int, bridge: Bridge, result: SearchResult
) -> dict[str, float]:
    """The signs of a link that are known before the next search.

    Parameters
    ----------
    one, best : Judged
        The unit that names the thing, and the best of its step.
    order : int
        How many names of the unit come before.
    bridge : Bridge
    result : SearchResult
    """
    return {
        "first_support": one.support,
        "first_below": _below(one, best),
        "first_context": one.features.context,
        "order": 1 / (1 + order),
        "beside": _beside(one.unit, bridge, result),
        "column": _in_column(bridge, result),
        "sure": float(bridge.kind in SURE),
        "cell": float(bridge.kind == "cell"),
        "loose": float(bridge.kind in LOOSE),
    }


def link_signs(first: Taken, signs: dict[str, float], last: Taken, best: Judged) -> LinkSigns:
    """All signs of a link.

    Parameters
    ----------
    first, last : Taken
    signs : dict
        Those of the first step; see `first_signs`.
    best : Judged
        The best unit of the last step.
    """
    own, other = first.judged, last.judged
    unit, name = other.unit, first.passed_on
    terms = frozenset(analyser_for(unit.document.language).terms(name))
    said = frozenset(unit.terms)
    around = said | unit.above
    others = frozenset(last.result.terms) - terms
    rest = len(others & around) / len(others) if others else 1.0
    counts = [last.result.known.get(term, 0) for term in terms]
    passages = max(last.result.passages, 1)
    return LinkSigns(
        **signs,
        last_support=other.support,
        last_below=_below(other, best),
        last_context=other.features.context,
        last_form=other.features.form,
        holds=len(terms & said) / len(terms) if terms else 0.0,
        above=len(terms & around) / len(terms) if terms else 0.0,
        rest=rest,
        labelled=float(_labels(unit, name)),
        rare=1 - math.log1p(min(counts, default=0)) / math.log1p(passages),
        both=own.features.context * rest,
        apart=float(own.unit.document.id != unit.document.id),
    )


def _beside(unit: Unit, bridge: Bridge, result: SearchResult) -> float:
    """How near a name stands to a word of the question, in words."""
    if bridge.at < 0:
        return 0.0
    analyser = analyser_for(unit.document.language)
    before = unit.text[: bridge.at]
    after = unit.text[bridge.at + len(bridge.name) :]
    nearest = 99
    for words in (reversed(before.split()), after.split()):
        for away, word in enumerate(words, 1):
            if any(term in result.terms for term in analyser.terms(word)):
                nearest = min(nearest, away)
                break
    return 1 / nearest


def _in_column(bridge: Bridge, result: SearchResult) -> float:
    terms = analyser_for(result.language).terms(bridge.column)
    return float(any(term in result.terms for term in terms))


def _labels(unit: Unit, name: str) -> bool:
    """Whether a unit begins with a name, or its row's first cell is it."""
    label = unit.text
    if unit.kind is BlockKind.ROW:
        label = next(iter(cells_of(unit.text)), "")
    return label.strip(' *_`|“"').casefold().startswith(name.casefold())


def _below(one: Judged, best: Judged) -> float:
    return min(1.0, max(0.0, (best.rank - one.rank) / _RANK_SCALE))
