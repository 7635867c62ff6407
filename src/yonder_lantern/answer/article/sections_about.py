"""The outline that documents give themselves: their sections that speak of a topic."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from ...core import BlockKind, Document, SearchResult, heading_words
from ...search import analyser_for
from ..draft import Draft
from ..judged import Judged, alike
from ..lead_in import POINTS_BACK
from ..navigation import Navigation
from ..units import Unit, document_units

_ABOUT = 0.5  # share of the topic that stands in a sentence or above it
_BEST = 3  # sentences by which a section is weighed
_ENOUGH = 0.3  # of the support of the best sentence, that one of each section must have
_SENTENCES = 5  # of a section
_SITE = re.compile(r"\s+[|—–·]\s+.*$")  # behind a page's title: of which site it is
_SHORTEST, _LONGEST = 5, 45  # terms of a sentence that can stand for others
# An item that can stand by itself; one that ends in dots is a link that was cut off.
_SENTENCE = re.compile(r"\W*[A-Z0-9](?!.*(?:\.\.|…)\W*$).*[.!?]\W*$", re.S)
_TITLED = 0.6  # share of the topic in the title of a document that is about it
_TOPIC_COUNTS = 2.0  # how much more a sentence counts that names the whole topic
_OPENING = 1.5  # and one that a section begins with


@dataclass(frozen=True, slots=True)
class OutlinePart:
    """A section of a document that speaks of the topic.

    Attributes
    ----------
    heading : str
    document : Document
    draft : Draft
        Its most telling sentences, in their order.
    """

    heading: str
    document: Document
    draft: Draft


def outline_of(judged: Sequence[Judged], result: SearchResult, most: int) -> list[OutlinePart]:
    """The sections that say most of a topic; those of one document together, in its order.

    Of each the sentences whose terms are the section's most frequent (Luhn, 1958, The automatic
    creation of literature abstracts), those that speak of the topic before others; what an
    earlier section says is not said again (Carbonell, Goldstein, 1998, The use of MMR).

    Parameters
    ----------
    judged : sequence of Judged
        The units found for the topic, best first.
    result : SearchResult
    most : int
        Sections.
    """
    found: dict[tuple[str, int], list[float]] = {}
    documents: dict[str, Document] = {}
    for one in judged:
        unit = one.unit
        if one.features.context >= _ABOUT and not unit.wide:
            documents[unit.document.id] = unit.document
            found.setdefault((unit.document.id, unit.document.blocks[unit.block].under), []).append(
                one.support
            )
    weights = {key: math.fsum(sorted(own, reverse=True)[:_BEST]) for key, own in found.items()}
    best = {key: max(own) for key, own in found.items()}
    enough = _ENOUGH * max(best.values(), default=0.0)
    able = [key for key in weights if best[key] >= enough]
    chosen = sorted(able, key=lambda key: (-weights[key], key))[:most]
    best_of = {id_: max(weights[key] for key in chosen if key[0] == id_) for id_, _ in chosen}
    chosen.sort(key=lambda key: (-best_of[key[0]], key))
    parts: list[OutlinePart] = []
    said: list[Unit] = []
    for id_, under in chosen:
        units = _telling(documents[id_], under, result, said)
        if units:
            said += units
            draft = Draft(tuple(units), (1.0,) * len(units), 1.0)
            heading = _heading(documents[id_], under, result, is_first=id_ == chosen[0][0])
            parts.append(OutlinePart(heading, documents[id_], draft))
    return parts


def _telling(
    document: Document, under: int, result: SearchResult, said: Sequence[Unit]
) -> list[Unit]:
    """The sentences of a section that tell most, in their order."""
    navigation = Navigation(result.query.question, asks_code=False)
    units = [
        unit
        for unit in document_units(document, analyser_for(document.language))
        if document.blocks[unit.block].under == under
        and unit.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        and not navigation.holds(unit)
        and document.blocks[unit.block].header < 0  # what defines a term says little without it
    ]
    counts = Counter(term for unit in units for term in set(unit.terms))
    topic = frozenset(result.terms)

    def worth(unit: Unit) -> float:
        terms = set(unit.terms)
        shared = len(topic & terms) / len(topic) if topic else 0.0
        usual = sum(counts[term] for term in terms) / math.sqrt(len(unit.terms))
        return usual * (1 + _TOPIC_COUNTS * shared) * (_OPENING if unit is units[0] else 1.0)

    able = [
        unit
        for unit in units
        if _SHORTEST <= len(unit.terms) <= _LONGEST
        and not POINTS_BACK.match(unit.text)
        and not unit.text.rstrip().endswith(":")
        and (unit.kind is BlockKind.PARAGRAPH or _SENTENCE.match(unit.text))
    ]
    able.sort(key=lambda unit: (-round(worth(unit), 6), unit.start))
    chosen: list[Unit] = []
    for unit in able:
        if len(chosen) < _SENTENCES and not any(alike(unit, other) for other in (*said, *chosen)):
            chosen.append(unit)
    return sorted(chosen, key=lambda unit: unit.start)


def _heading(document: Document, under: int, result: SearchResult, *, is_first: bool) -> str:
    """What a section is called; after its document's title, but for the first one about the topic.

    Where the heading tells the topic, or the title, it stands alone.
    """
    title = _SITE.sub("", document.title)
    if under < 0:
        return title
    block = document.blocks[under]
    heading = heading_words(document.text[block.start : block.end]) or title
    analyser = analyser_for(document.language)
    topic = frozenset(result.terms)
    about = is_first and len(topic & frozenset(analyser.terms(title))) >= _TITLED * len(topic)
    told = topic <= frozenset(analyser.terms(heading)) or heading in title
    return heading if about or told else f"{title}: {heading}"
