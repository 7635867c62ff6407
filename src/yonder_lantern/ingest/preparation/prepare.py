"""What of a document goes into a segment, worked out apart from all others."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...core import BlockKind, Document, Passage
from ...platform.storage import Array
from ...text import Analyser, explained_abbreviations, key_terms
from ..passages import context_header
from .signature import shape_of

_ASKS = re.compile(r"\w[\"'”’)\]]*\?(?=\s|$)")
_ABOUT = 20_000  # characters from which it is told what a document is about
_ENDS = re.compile(r"[.!:](?=\s|$)|\n\s*\n|$")


@dataclass(frozen=True, slots=True)
class Prepared:
    """A document with its passages and their terms, ready to be added to an index.

    Attributes
    ----------
    document : Document
    passages : tuple of Passage
    terms : tuple of str
        Each once.
    bounds : int64 array, shape (passages + 1,)
        Where each passage's postings begin in the next three.
    numbers : int32 array
        Of the terms in ``terms``; each passage's are distinct.
    counts : int32 array
        How often each stands in the passage and in its context header.
    leads : uint8 array
        How often in the context header alone; 255 is that or more.
    asking : uint8 array, shape (passages,)
        Which share of a passage's sentences ask something, in 255ths.
    shape : bytes
        The signature of the text, see `alike`.
    abbreviations : tuple of (str, str)
        The short forms it explains, with their long forms.
    key_terms : tuple of str
        The phrases it uses most.
    """

    document: Document
    passages: tuple[Passage, ...]
    terms: tuple[str, ...]
    bounds: Array
    numbers: Array
    counts: Array
    leads: Array
    asking: Array
    shape: bytes
    abbreviations: tuple[tuple[str, str], ...]
    key_terms: tuple[str, ...]


class Preparer:
    """Works out the terms of documents; remembers those of words it has met."""

    def __init__(self) -> None:
        self._analysers: dict[str, Analyser] = {}

    def prepare(self, document: Document, passages: Sequence[Passage]) -> Prepared:
        """A document with the terms of its passages and its signature."""
        analyser = self._analysers.get(document.language)
        if analyser is None:
            analyser = self._analysers[document.language] = Analyser(document.language)
        terms: defaultdict[str, int] = defaultdict()
        terms.default_factory = terms.__len__  # a new term has the next number

        def numbered(found: Sequence[str]) -> Array:
            return np.fromiter(map(terms.__getitem__, found), np.int64, len(found))

        starts, found = analyser.placed_terms(document.text)
        text_terms = numbered(found)
        positions = np.array(starts, dtype=np.int64)
        edges = [(passage.start, passage.end) for passage in passages]
        bounds = np.searchsorted(positions, np.array(edges, dtype=np.int64).reshape(-1, 2)).tolist()
        known: dict[str, Array] = {}
        parts: list[Array] = []
        sizes: list[int] = []
        for passage, (low, high) in zip(passages, bounds, strict=True):
            header = context_header(document, passage.block, passage.start)
            if header not in known:
                known[header] = numbered(analyser.terms(header))
            parts += [text_terms[low:high], known[header]]
            sizes += [high - low, len(known[header])]
        passage_of = np.repeat(np.arange(len(sizes)) // 2, sizes)
        in_header = np.repeat(np.arange(len(sizes)) % 2, sizes)
        flat = np.concatenate(parts) if parts else np.zeros(0, np.int64)
        width = max(1, len(terms))
        distinct, inverse = np.unique(passage_of * width + flat, return_inverse=True)
        leads = np.bincount(inverse, weights=in_header, minlength=len(distinct))
        return Prepared(
            document=document,
            passages=tuple(passages),
            terms=tuple(terms),
            bounds=np.searchsorted(distinct, np.arange(len(passages) + 1) * width),
            numbers=(distinct % width).astype(np.int32),
            counts=np.bincount(inverse, minlength=len(distinct)).astype(np.int32),
            leads=np.minimum(leads, 255).astype(np.uint8),
            asking=np.array(
                [_asking(document.text[start:end]) for start, end in edges], dtype=np.uint8
            ),
            shape=shape_of(document.text),
            abbreviations=tuple(explained_abbreviations(document.text)),
            key_terms=tuple(key_terms(document.text[:_ABOUT], _headings(document), analyser)),
        )


def _headings(document: Document) -> str:
    lines = [document.title]
    for block in document.blocks:
        if block.kind is BlockKind.HEADING:
            lines.append(document.text[block.start : block.end])
    return "\n".join(lines)


def _asking(text: str) -> int:
    """Which share of a text's sentences and headings ask, in 255ths."""
    if "?" not in text:
        return 0
    asks = len(_ASKS.findall(text))
    tells = sum(1 for _ in _ENDS.finditer(_ASKS.sub(" ", text).strip()))
    return round(255 * asks / (asks + tells)) if asks else 0
