"""The method ``lexicon``: sums of the vectors of words."""

from __future__ import annotations

import hashlib
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np

from ...platform.storage import (
    REBUILD,
    Array,
    TermTable,
    checked_array,
    private_folder,
    save_array,
    whole_folder,
)
from ...settings import EmbeddingSettings
from ...text import folded_words
from ..latent import LatentEmbedding
from ..method import EmbeddingContext, PassageSet
from ..spherical import unit_rows, weighted_sums
from .lexicon_units import Units
from .own_words import OwnWords, known_share, learn
from .table import SHIPPED, LexiconTable

_AT_ONCE = 2000  # texts whose vectors are worked out together
_BESIDE = 0.2  # the latent vectors' share of a cosine
_MOST_PIECES = 2
_KEPT_WORDS = 20_000  # whose vectors are remembered; a bound on memory
_LATENT = "latent"


class LexiconMethod:
    """The method ``lexicon``: word vectors that come with the package."""

    learns = True
    longest = 0
    languages = ("en",)
    lexical_weight = 0.5
    least_cosine = 0.2  # of 299 questions and what answers them, 99 % have more
    other_lexical_weight = 0.9  # for a language that the lexicon does not know

    def __init__(self, settings: EmbeddingSettings, context: EmbeddingContext) -> None:  # noqa: ARG002
        self._table = LexiconTable.load(SHIPPED)
        self._beside = settings.dimensions // 2
        self.spec: dict[str, Any] = {
            "method": "lexicon",
            "lexicon": self._table.hash,
            "dimensions": settings.dimensions,
            "learn_from": settings.learn_from,
        }

    def make(self, passages: PassageSet) -> LexiconEmbedding:
        """The lexicon, with what these passages tell of words."""
        return LexiconEmbedding.learned(self._table, passages, self._beside)

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> LexiconEmbedding:  # noqa: ARG004
        """Map what an index was made with."""
        return LexiconEmbedding.load(folder)


class LexiconEmbedding:
    """Vectors of texts as weighted sums of the vectors of their words.

    The lexicon's vectors were fitted so that such sums come close to what a
    pretrained encoder says of the same texts; what was learned from the corpus
    weighs them and adds its own words. Beside these stand the latent vectors of the
    corpus, so that a cosine is a weighted mean of both. An index keeps a copy of the
    lexicon.

    Parameters
    ----------
    table : LexiconTable
    own_words : OwnWords
    beside : LatentEmbedding or None
        None where the corpus was too small for one.
    hash_ : str
        Of all three.
    """

    method = "lexicon"
    reads_terms = False

    def __init__(
        self, table: LexiconTable, own_words: OwnWords, beside: LatentEmbedding | None, hash_: str
    ) -> None:
        self._table = table
        self._own = own_words
        self._beside = beside
        self._units = Units(table.units, own_words.words)
        self._words: dict[str, Array] = {}
        self.hash = hash_
        self.dimensions = table.dimensions + (beside.dimensions if beside else 0)
        self.captured = own_words.known * (beside.captured if beside else 1.0)

    @classmethod
    def learned(
        cls, table: LexiconTable, passages: PassageSet, dimensions: int
    ) -> LexiconEmbedding:
        """A lexicon with what the passages of a corpus tell of words.

        Parameters
        ----------
        table : LexiconTable
        passages : PassageSet
        dimensions : int
            Of the latent vectors, at most.
        """
        own_words = learn(table, passages.words())
        beside = LatentEmbedding.train(*passages.counts(), dimensions=dimensions)
        digest = hashlib.sha256(table.hash.encode())
        for array in (*own_words.words.raw(), own_words.vectors, own_words.weights):
            digest.update(np.ascontiguousarray(array).tobytes())
        digest.update(beside.hash.encode() if beside else b"")
        return cls(table, own_words, beside, digest.hexdigest()[:16])

    def passages(self, passages: PassageSet) -> Array:
        """Unit vectors of passages with their leads, float32, shape (passages, dimensions)."""
        units = Units(self._table.units, self._own.words, many=True)
        words = iter(passages.words())
        width = self._table.dimensions
        found = np.zeros((len(passages), self.dimensions), dtype=np.float32)
        start = 0
        while part := list(islice(words, _AT_ONCE)):
            counts = units.counts(part, len(self._own.weights))
            used, columns = np.unique(counts.indices, return_inverse=True)
            counts = type(counts)((counts.data, columns, counts.indptr), (len(part), len(used)))
            vectors = unit_rows(counts.sqrt() @ self._vectors(used))
            found[start : start + len(part), :width] = vectors
            start += len(part)
        if self._beside is None:
            return unit_rows(found)
        found[:, :width] *= math.sqrt(1 - _BESIDE)
        found[:, width:] = self._beside.passages(passages) * math.sqrt(_BESIDE)
        return unit_rows(found)

    def captures(self, passages: PassageSet) -> float:
        """How much it knows of passages, 0 to 1.

        The share of their words that are known, times what the latent vectors capture.
        """
        units = Units(self._table.units, self._own.words, many=True)
        known = known_share(units, passages.words())
        return known * (self._beside.captures(passages) if self._beside else 1.0)

    def question(self, text: str, terms: Mapping[str, float]) -> Array:
        """The unit vector of a question, float32, shape (dimensions,)."""
        return np.asarray(self.questions([text], [terms])[0])

    def questions(self, texts: Sequence[str], terms: Sequence[Mapping[str, float]]) -> Array:
        """The unit vectors of many questions, float32, shape (questions, dimensions)."""
        known = self._table.dimensions
        found = np.zeros((len(texts), self.dimensions), dtype=np.float32)
        counts = [Counter(folded_words(text)) for text in texts]
        found[:, :known] = unit_rows(weighted_sums(counts, self._word, np.sqrt, known))
        if self._beside is not None:
            found[:, :known] *= math.sqrt(1 - _BESIDE)
            found[:, known:] = self._beside.questions(texts, terms) * math.sqrt(_BESIDE)
        return unit_rows(found)

    def words(self, words: Sequence[str]) -> Array:
        """Unit vectors of single words, of zeros for those that it does not know at all.

        Returns
        -------
        float32 array, shape (words, dimensions of the lexicon)
        """
        found = np.zeros((len(words), self._table.dimensions), dtype=np.float32)
        for at, text in enumerate(words):
            for word in folded_words(text):
                found[at] += self._word(word)
        return unit_rows(found)

    def known_words(self) -> list[str]:
        """The words and pieces of words that the lexicon has vectors of."""
        return self._table.units.all()

    def parts(self, text: str, terms: Mapping[str, float]) -> dict[str, Array]:
        """What each known word and term of a question adds; they sum to a unit vector."""
        words: dict[str, Array] = {}
        for word, count in Counter(folded_words(text)).items():
            vector = self._word(word)
            if vector.any():
                words[word] = vector * math.sqrt(count)
        if self._beside is None:
            return _scaled(words)
        parts: dict[str, Array] = {}
        latent = self._beside.parts(text, terms)
        known = self._table.dimensions
        for found, share, location in (
            (_scaled(words), 1 - _BESIDE, slice(known)),
            (latent, _BESIDE, slice(known, None)),
        ):
            for word, part in found.items():
                whole = parts.setdefault(word, np.zeros(self.dimensions, dtype=np.float32))
                whole[location] = part * math.sqrt(share)
        return _scaled(parts)

    def _word(self, word: str) -> Array:
        """The weighted vector of a word that is asked with; zeros if it is not known.

        What three and more pieces add up to says nothing: nobody knows that word.
        """
        known = self._words.get(word)
        if known is None:
            units = self._units.of(word)
            known = np.zeros(self._table.dimensions, dtype=np.float32)
            if 0 < len(units) <= _MOST_PIECES:
                known = self._vectors(np.array(units)).sum(axis=0)
            if len(self._words) < _KEPT_WORDS:
                self._words[word] = known
        return known

    def _vectors(self, numbers: Array) -> Array:
        """The weighted vectors of units, those of the lexicon and the corpus's own."""
        known = len(self._table.units)
        rows = np.empty((len(numbers), self._table.dimensions), dtype=np.float32)
        of_corpus = numbers >= known
        rows[~of_corpus] = self._table.vectors(numbers[~of_corpus])
        rows[of_corpus] = self._own.vectors[numbers[of_corpus] - known]
        return np.asarray(rows * self._own.weights[numbers][:, None])

    def save(self, folder: Path) -> None:
        """Write the lexicon and what was learned into a folder named by the hash."""
        if not (folder / self.hash).exists():
            with whole_folder(folder / self.hash) as beside:
                self._write(beside)

    def _write(self, beside: Path) -> None:
        self._table.write(beside)
        self._own.words.save(beside, "own")
        save_array(beside / "own_vectors.npy", np.asarray(self._own.vectors))
        save_array(beside / "weights.npy", self._own.weights)
        save_array(beside / "known.npy", np.array([self._own.known]))
        if self._beside:
            private_folder(beside / _LATENT)
            self._beside.write(beside / _LATENT)

    @classmethod
    def load(cls, folder: Path) -> LexiconEmbedding:
        """Map an embedding from its folder."""
        own_words = OwnWords(
            TermTable.load(folder, "own"),
            checked_array(folder / "own_vectors.npy"),
            checked_array(folder / "weights.npy").whole(),
            float(checked_array(folder / "known.npy")[0]),
        )
        latent = folder / _LATENT
        beside = LatentEmbedding.load(latent) if latent.exists() else None
        return cls(LexiconTable.load(folder, REBUILD), own_words, beside, folder.name)


def _scaled(parts: Mapping[str, Array]) -> dict[str, Array]:
    """Vectors scaled so that their sum has length one; none where it has none."""
    if not parts:
        return {}
    length = float(np.linalg.norm(np.sum(list(parts.values()), axis=0)))
    return {word: part / length for word, part in parts.items()} if length > 1e-12 else {}
