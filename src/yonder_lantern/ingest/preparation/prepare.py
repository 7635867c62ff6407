"""What of a document goes into a segment, worked out apart from all others."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np

from ...core import BlockKind, Document, Passage
from ...platform.storage import Array
from ...settings import PassageSettings
from ...text import (
    Analyser,
    Tokenized,
    compact_token_starts,
    explained_abbreviations,
    folded_by_word,
    folded_words,
    key_terms,
    tokenize,
)
from ..passages import context_header, cut_as_set
from .signature import shape_of

_ASKS = re.compile(r"\w[\"'”’)\]]*\?(?=\s|$)")
_PIECE = 500_000  # characters that are gone through at once
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
        """A document cut into passages, with their terms, words and its signature.

        A long text is gone through in pieces: its tokens are never all at hand.
        """
        text = document.text
        is_long = len(text) > _PIECE
        tokens = tokenize(text[:_PIECE] if is_long else text)
        starts = compact_token_starts(text) if is_long else tokens.starts
        passages = cut_as_set(document, self._settings, starts)
        analyser = self._analysers.get(document.language)
        if analyser is None:
            analyser = self._analysers[document.language] = Analyser(document.language)
        terms = _Terms(document, analyser)
        words = _Words(document)
        pieces = _pieces(document, passages) if is_long else [(passages, 0, tokens)]
        for part, offset, found in pieces:
            terms.add(part, offset, found)
            words.add(part, offset, found)
        return Prepared(
            document=document,
            passages=tuple(passages),
            terms=tuple(terms.known),
            bounds=np.array(terms.bounds, dtype=np.int64),
            numbers=_joined(terms.numbers, np.int32),
            counts=_joined(terms.counts, np.int32),
            leads=_joined(terms.leads, np.uint8),
            asking=np.array([_asking(text[one.start : one.end]) for one in passages], np.uint8),
            words=tuple(words.numbers),
            word_bounds=np.array(words.bounds, dtype=np.int64),
            word_numbers=_joined(words.flat, np.int32),
            shape=shape_of(_folded(tokens)),
            abbreviations=tuple(explained_abbreviations(text)),
            key_terms=tuple(key_terms(tokens, _headings(document), analyser, within=_ABOUT)),
        )


def _pieces(
    document: Document, passages: Sequence[Passage]
) -> Iterator[tuple[Sequence[Passage], int, Tokenized]]:
    """Passages that stand together in a piece of a long text, where it begins, and its tokens."""
    first = 0
    while first < len(passages):
        start = passages[first].start
        last = first + 1
        while last < len(passages) and passages[last].end - start <= _PIECE:
            last += 1
        part = passages[first:last]
        yield part, start, tokenize(document.text[start : max(one.end for one in part)])
        first = last


def _joined(parts: Sequence[Array], kind: type) -> Array:
    return np.concatenate(parts).astype(kind, copy=False) if parts else np.zeros(0, kind)


class _Terms:
    """The terms of a document's passages, each with its context header before it."""

    def __init__(self, document: Document, analyser: Analyser) -> None:
        self.known: defaultdict[str, int] = defaultdict()
        self.known.default_factory = self.known.__len__  # a new term has the next number
        self.bounds = [0]
        self.numbers: list[Array] = []
        self.counts: list[Array] = []
        self.leads: list[Array] = []
        self._document = document
        self._analyser = analyser
        self._headers: dict[str, Array] = {}

    def add(self, passages: Sequence[Passage], offset: int, tokens: Tokenized) -> None:
        """Add the terms of passages, from the tokens of the text from an offset on."""
        starts, found = self._analyser.placed_terms(tokens)
        text_terms = self._numbered(found)
        positions = np.array(starts, dtype=np.int64) + offset
        edges = np.array([(one.start, one.end) for one in passages], np.int64).reshape(-1, 2)
        parts: list[Array] = []
        sizes: list[int] = []
        for passage, (low, high) in zip(
            passages, np.searchsorted(positions, edges).tolist(), strict=True
        ):
            header = context_header(self._document, passage.block, passage.start)
            if header not in self._headers:
                self._headers[header] = self._numbered(self._analyser.terms(header))
            parts += [text_terms[low:high], self._headers[header]]
            sizes += [high - low, len(self._headers[header])]
        passage_of = np.repeat(np.arange(len(sizes)) // 2, sizes)
        in_header = np.repeat(np.arange(len(sizes)) % 2, sizes)
        flat = np.concatenate(parts) if parts else np.zeros(0, np.int64)
        width = max(1, len(self.known))
        distinct, inverse = np.unique(passage_of * width + flat, return_inverse=True)
        leads = np.bincount(inverse, weights=in_header, minlength=len(distinct))
        ends = np.searchsorted(distinct, np.arange(1, len(passages) + 1) * width)
        self.bounds += (ends + self.bounds[-1]).tolist()
        self.numbers.append((distinct % width).astype(np.int32))
        self.counts.append(np.bincount(inverse, minlength=len(distinct)).astype(np.int32))
        self.leads.append(np.minimum(leads, 255).astype(np.uint8))

    def _numbered(self, found: Sequence[str]) -> Array:
        return np.fromiter(map(self.known.__getitem__, found), np.int64, len(found))


class _Words:
    """The folded words of a document's passages, each with its context header before it."""

    def __init__(self, document: Document) -> None:
        self.numbers: defaultdict[str, int] = defaultdict()
        self.numbers.default_factory = self.numbers.__len__
        self.bounds = [0]
        self.flat: list[Array] = []
        self._document = document
        self._headers: dict[str, list[int]] = {}

    def add(self, passages: Sequence[Passage], offset: int, tokens: Tokenized) -> None:
        """Add the words of passages, from the tokens of the text from an offset on."""
        numbers, document = self.numbers, self._document
        by_word = folded_by_word(tokens)
        edges = np.array([(one.start, one.end) for one in passages], np.int64).reshape(-1, 2)
        word_starts = np.array(tokens.word_starts, dtype=np.int64) + offset
        flat: list[int] = []
        before = self.bounds[-1]
        for passage, (low, high) in zip(
            passages, np.searchsorted(word_starts, edges).tolist(), strict=True
        ):
            header = context_header(document, passage.block, passage.start)
            if header not in self._headers:
                self._headers[header] = [numbers[word] for word in folded_words(header)]
            flat += self._headers[header]
            if by_word is None:
                found = folded_words(document.text[passage.start : passage.end])
                flat += map(numbers.__getitem__, found)
            else:
                within = chain.from_iterable(by_word[low:high])
                flat += map(numbers.__getitem__, within)
            self.bounds.append(before + len(flat))
        self.flat.append(np.array(flat, dtype=np.int32))


def _folded(tokens: Tokenized) -> list[str]:
    """The folded words of a text; of a long one, of its beginning."""
    by_word = folded_by_word(tokens)
    return folded_words(tokens.text) if by_word is None else list(chain.from_iterable(by_word))


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
