"""The outline that documents give themselves: their sections that speak of a topic."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from ...core import BlockKind, Document, SearchResult, heading_words
from ...search import analyser_for
from ..draft import Draft
from ..judged import Judged, alike
from ..lead_in import stands_alone
from ..navigation import Navigation
from ..units import Unit, document_units

_ABOUT = 0.6  # share of the weight of the topic that a sentence has with its heading, or a title
_BEST = 3  # sentences by which a section is weighed
_ENOUGH = 0.3  # of the support of the best sentence, that one of each section must have
_SENTENCES = 5  # of a section
_SITE = re.compile(r"\s+[|—–·]\s+.*$")  # behind a page's title: of which site it is
# An item that can stand by itself; one that ends in dots is a link that was cut off.
_SENTENCE = re.compile(r"\W*[A-Z0-9](?!.*(?:\.\.|…)\W*$).*[.!?]\W*$", re.S)
_NAMED = 0.4  # and of one whose section is called by something else
_FEWEST = 2  # of which such a section has at least; one, where that has all of the topic
_ALL = 0.99
_MUCH = 4  # times as many words as the topic, that a title has that is a list
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
    topic = _Topic(result.terms, Navigation(result.query.question, asks_code=False))
    found: dict[tuple[str, int], list[float]] = {}
    documents: dict[str, Document] = {}
    for one in judged:
        unit = one.unit
        if unit.wide or not topic.is_in(unit):
            continue
        documents[unit.document.id] = unit.document
        under = unit.document.blocks[unit.block].under
        found.setdefault((unit.document.id, under), []).append(one.support)
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
        units = _telling(documents[id_], under, topic, said)
        if units:
            said += units
            draft = Draft(tuple(units), (1.0,) * len(units), 1.0)
            heading = _heading(documents[id_], under, topic, is_first=id_ == chosen[0][0])
            parts.append(OutlinePart(heading, documents[id_], draft))
    return parts


@dataclass(frozen=True, slots=True)
class _Topic:
    """What is written about: its terms and their weights."""

    weights: Mapping[str, float]
    navigation: Navigation

    def share(self, terms: Iterable[str]) -> float:
        """How much of its weight some terms have."""
        whole = math.fsum(self.weights.values())
        return math.fsum(self.weights.get(term, 0.0) for term in set(terms)) / whole if whole else 0

    def is_title_of(self, document: Document) -> bool:
        """Whether a document as a whole is about it; a title that lists much is about none."""
        title = set(analyser_for(document.language).terms(document.title))
        much = len(title) > _MUCH * len(self.weights)
        return self.share(title) >= _ABOUT and not much

    def is_over(self, document: Document, under: int) -> bool:
        """Whether a heading names it."""
        words = _heading_at(document, under)
        return self.share(analyser_for(document.language).terms(words)) >= _ABOUT

    def is_in(self, unit: Unit) -> bool:
        """Whether a sentence, with its heading, speaks of it; or its document is about it."""
        document, under = unit.document, unit.document.blocks[unit.block].under
        over = analyser_for(document.language).terms(_heading_at(document, under))
        return self.share([*unit.terms, *over]) >= _ABOUT or self.is_title_of(document)


def _heading_at(document: Document, under: int) -> str:
    """The words of a heading; empty where there is none."""
    if under < 0:
        return ""
    block = document.blocks[under]
    return heading_words(document.text[block.start : block.end])


def _telling(document: Document, under: int, topic: _Topic, said: Sequence[Unit]) -> list[Unit]:
    """The sentences of a section that tell most, in their order.

    Where neither the section nor its document is called by the topic, only those that name it.
    """
    units = [
        unit
        for unit in document_units(document, analyser_for(document.language))
        if document.blocks[unit.block].under == under
        and unit.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        and not topic.navigation.holds(unit)
        and document.blocks[unit.block].header < 0  # what defines a term says little without it
    ]
    counts = Counter(term for unit in units for term in set(unit.terms))
    whole = topic.is_over(document, under) or topic.is_title_of(document)

    def worth(unit: Unit) -> float:
        usual = sum(counts[term] for term in set(unit.terms)) / math.sqrt(len(unit.terms))
        named = 1 + _TOPIC_COUNTS * topic.share(unit.terms)
        return usual * named * (_OPENING if unit is units[0] else 1.0)

    able = [
        unit
        for unit in units
        if stands_alone(unit)
        and (unit.kind is BlockKind.PARAGRAPH or _SENTENCE.match(unit.text))
        and (whole or topic.share(unit.terms) >= _NAMED)
    ]
    able.sort(key=lambda unit: (-round(worth(unit), 6), unit.start))
    chosen: list[Unit] = []
    for unit in able:
        if len(chosen) < _SENTENCES and not any(alike(unit, other) for other in (*said, *chosen)):
            chosen.append(unit)
    enough = 1 if whole or any(topic.share(unit.terms) > _ALL for unit in chosen) else _FEWEST
    return sorted(chosen, key=lambda unit: unit.start) if len(chosen) >= enough else []


def _heading(document: Document, under: int, topic: _Topic, *, is_first: bool) -> str:
    """What a section is called; after its document's title, but for the first one about the topic.

    Where the heading tells the topic, or the title, it stands alone.
    """
    title = _SITE.sub("", document.title)
    heading = _heading_at(document, under) or title
    alone = heading in title or topic.is_over(document, under)
    about = is_first and topic.is_title_of(document)
    return heading if alone or about else f"{title}: {heading}"
