"""What of a document goes into a segment, worked out apart from all others."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np

from ...core import BlockKind, Document, Passage
from ...platform.storage import Array
from ...settings import PassageSettings
from ...text import (
    Analyser,
    Tokenized,
    explained_abbreviations,
    folded_by_word,
    folded_words,
    key_terms,
    tokenize,
)
from ..passages import context_header, cut_as_set
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
    words : tuple of str
        The folded words of the passages and their headers, each once.
    word_bounds : int64 array, shape (passages + 1,)
        Where each passage's words begin in the next.
    word_numbers : int32 array
        Of the words in ``words``, in the order they stand in.
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
    words: tuple[str, ...]
    word_bounds: Array
    word_numbers: Array
    shape: bytes
    abbreviations: tuple[tuple[str, str], ...]
    key_terms: tuple[str, ...]


class Preparer:
    """Cuts documents and works out their terms and words, of one look at each text.

    Parameters
    ----------
    settings : PassageSettings
        How documents are cut.
    """

    def __init__(self, settings: PassageSettings) -> None:
        self._settings = settings
        self._analysers: dict[str, Analyser] = {}

    def prepare(self, document: Document) -> Prepared:
        """A document cut into passages, with their terms, words and its signature."""
        tokens = tokenize(document.text)
        passages = cut_as_set(document, self._settings, tokens.starts)
        analyser = self._analysers.get(document.language)
        if analyser is None:
            analyser = self._analysers[document.language] = Analyser(document.language)
        terms: defaultdict[str, int] = defaultdict()
        terms.default_factory = terms.__len__  # a new term has the next number

        def numbered(found: Sequence[str]) -> Array:
            return np.fromiter(map(terms.__getitem__, found), np.int64, len(found))

        starts, found = analyser.placed_terms(tokens)
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
        words = _Words(document, passages, tokens)
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
            words=tuple(words.numbers),
            word_bounds=words.bounds,
            word_numbers=words.flat,
            shape=shape_of(words.of_text),
            abbreviations=tuple(explained_abbreviations(document.text)),
            key_terms=tuple(key_terms(tokens, _headings(document), analyser, within=_ABOUT)),
        )


class _Words:
    """The folded words of a document's passages, each with its context header before it."""

    def __init__(self, document: Document, passages: Sequence[Passage], tokens: Tokenized) -> None:
        numbers: defaultdict[str, int] = defaultdict()
        numbers.default_factory = numbers.__len__
        by_word = folded_by_word(tokens)
        edges = np.array([(one.start, one.end) for one in passages], dtype=np.int64).reshape(-1, 2)
        ranges = np.searchsorted(np.array(tokens.word_starts, dtype=np.int64), edges).tolist()
        headers: dict[str, list[int]] = {}
        flat: list[int] = []
        bounds = [0]
        for passage, (low, high) in zip(passages, ranges, strict=True):
            header = context_header(document, passage.block, passage.start)
            if header not in headers:
                headers[header] = [numbers[word] for word in folded_words(header)]
            flat += headers[header]
            if by_word is None:
                found = folded_words(document.text[passage.start : passage.end])
                flat += map(numbers.__getitem__, found)
            else:
                within = chain.from_iterable(by_word[low:high])
                flat += map(numbers.__getitem__, within)
            bounds.append(len(flat))
        self.numbers = numbers
        self.bounds: Array = np.array(bounds, dtype=np.int64)
        self.flat: Array = np.array(flat, dtype=np.int32)
        self.of_text = (
            folded_words(document.text) if by_word is None else list(chain.from_iterable(by_word))
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
