"""How sure it is that a question is one of those that a reply was given for."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..embedding import Embedding
from ..platform.storage import Array
from ..text import OPPOSITES, UNKNOWN, Analyser, detect_language, words

_FUNCTION = 0.15  # weight of a function word beside a word that says something
_OPPOSED = 0.5  # what is left of a likeness where a word is the opposite of one given
_ALIKE = 0.4  # cosine from which on two words count as partly the same
# By the method of the embedding: weight of the words, of the vectors, and the constant of a
# logistic regression, fitted by benchmarks/fixed_replies/measure.py on half of its replies.
_WEIGHTS = {
    "lexicon": (6.33, 11.01, -6.54),
    "encoder": (1.94, 20.06, -9.46),
}
_WORDS_ALONE = (9.0, 0.0, -5.0)
_ASKS = re.compile(
    r"\W*(?:and |so |but )?(?:who|whom|whose|what|when|where|which|why"
    r"|how(?! (?:do|can|may) (?:i|we)\b))\b",
    re.IGNORECASE,
)
_ASKING_WORD = re.compile(r"\b(?:who|what|when|where|which|why|how)\b", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Match:
    """The phrasing of a reply that is most like a question.

    ``owner`` is the number of the reply; ``sure`` the probability that it is meant, 0 to 1.
    """

    owner: int
    phrasing: str
    sure: float


@dataclass(frozen=True, slots=True)
class _Given:
    """A phrasing: the places of its words among the known ones, their weights, its vector."""

    text: str
    places: Array
    weights: Array
    vector: Array | None


@dataclass(frozen=True, slots=True)
class _Reply:
    """The phrasings of a reply: the places and the words of all, and whether any asks a fact."""

    phrasings: tuple[_Given, ...]
    places: Array
    words: frozenset[str]
    asks: bool

    @classmethod
    def of(cls, phrasings: tuple[_Given, ...]) -> _Reply:
        """The phrasings, read once."""
        texts = [one.text for one in phrasings]
        return cls(
            phrasings,
            np.unique(np.concatenate([one.places for one in phrasings])),
            frozenset(word.casefold() for text in texts for word in words(text)),
            any(_ASKING_WORD.search(text) or text.endswith("?") for text in texts),
        )


class Phrasings:
    """Given phrasings, ready to be compared with questions.

    A question is compared with all phrasings of a reply by their words, as an F-measure over stems
    where words that the embedding knows to be near count in part, and by the mean cosine to the
    two nearest. A logistic regression makes a probability of the two.

    Parameters
    ----------
    given : sequence of sequence of str
        The phrasings of each reply.
    embedding : Embedding or None
        Of the index.

    References
    ----------
    van Rijsbergen (1979), Information Retrieval, chapter 7, for the F-measure.
    """

    def __init__(self, given: Sequence[Sequence[str]], embedding: Embedding | None) -> None:
        self._embedding = embedding
        self._by_text = embedding is not None and not embedding.reads_terms
        method = embedding.method if embedding is not None and self._by_text else ""
        self._weights = _WEIGHTS.get(method, _WORDS_ALONE)
        read = [[_words_of(text) for text in texts] for texts in given]
        self._places: dict[str, int] = {}  # of each stem among the known ones
        surfaces: list[str] = []
        for one in (words_ for texts in read for words_ in texts):
            for stem, (word, _) in one.items():
                if stem not in self._places:
                    self._places[stem] = len(surfaces)
                    surfaces.append(word)
        self._word_vectors = self._vectors_of(surfaces)
        self._replies = [
            _Reply.of(
                tuple(self._ready(text, known) for text, known in zip(texts, own, strict=True))
            )
            for texts, own in zip(given, read, strict=True)
        ]

    def ranked(self, question: str) -> list[Match]:
        """The best phrasing of each reply, the surest first."""
        of_words, of_vectors, constant = self._weights
        found = []
        for owner, (phrasing, shared, near) in enumerate(self.features(question)):
            score = of_words * shared + of_vectors * near + constant
            found.append(Match(owner, phrasing, round(1 / (1 + math.exp(-score)), 4)))
        return sorted(found, key=lambda one: -one.sure)

    def features(self, question: str) -> list[tuple[str, float, float]]:
        """For each reply its best phrasing, and how like it is by the words and by the vectors."""
        asked = _words_of(question)
        if not asked:
            return []
        weights = np.array([weight for _, weight in asked.values()])
        alike = self._alike(asked)
        vector = self._vector(question)
        return [
            self._likeness(one, alike, weights, vector, _opposed(asked, one, question))
            for one in self._replies
        ]

    @staticmethod
    def _likeness(
        reply: _Reply,
        alike: Array,
        weights: Array,
        vector: Array | None,
        opposed: float,
    ) -> tuple[str, float, float]:
        precision = float(alike[:, reply.places].max(axis=1, initial=0.0) @ weights / weights.sum())
        best, shared, near = "", -1.0, []
        for one in reply.phrasings:
            hit = alike[:, one.places].max(axis=0) @ one.weights
            recall = float(hit / max(one.weights.sum(), 1e-9))
            both = 2 * recall * precision / (recall + precision) if recall + precision else 0.0
            if both > shared:
                best, shared = one.text, both
            if vector is not None and one.vector is not None:
                near.append(float(vector @ one.vector))
        nearest = sorted(near, reverse=True)[:2]
        cosine = sum(nearest) / len(nearest) if nearest else 0.0
        return best, shared * opposed, cosine * opposed

    def _ready(self, text: str, known: dict[str, tuple[str, float]]) -> _Given:
        places = np.array([self._places[stem] for stem in known], dtype=np.int64)
        weights = np.array([weight for _, weight in known.values()])
        return _Given(text, places, weights, self._vector(text))

    def _alike(self, asked: dict[str, tuple[str, float]]) -> Array:
        """How far each asked word is each known one; shape (asked, known)."""
        found = np.zeros((len(asked), len(self._places)))
        vectors = self._vectors_of([word for word, _ in asked.values()])
        if vectors is not None and self._word_vectors is not None:
            cosines = vectors @ self._word_vectors.T
            found = np.where(cosines >= _ALIKE, cosines, 0.0)
        for at, (stem, (_, weight)) in enumerate(asked.items()):
            if weight < 1:  # function words are the same or they are not
                found[at] = 0.0
            if stem in self._places:
                found[at, self._places[stem]] = 1.0
        return np.asarray(found)

    def _vector(self, text: str) -> Array | None:
        if self._embedding is None or not self._by_text:
            return None
        found = np.asarray(self._embedding.question(text, {}), dtype=np.float32)
        return found if found.any() else None

    def _vectors_of(self, given: Sequence[str]) -> Array | None:
        of_words = getattr(self._embedding, "words", None)
        return None if of_words is None or not given else np.asarray(of_words(given))


def _opposed(asked: dict[str, tuple[str, float]], reply: _Reply, question: str) -> float:
    """1, or less where the question is another one, however near its words are.

    "When is it open in winter?" is none of the phrasings about summer, and "How heavy a boat can
    be lifted?" is no wish to have one lifted.
    """
    if _ASKS.match(question) and not reply.asks:
        return _OPPOSED
    for word, _ in asked.values():
        folded = word.casefold()
        if folded not in reply.words and not reply.words.isdisjoint(OPPOSITES.get(folded, ())):
            return _OPPOSED
    return 1.0


def _words_of(text: str) -> dict[str, tuple[str, float]]:
    """The stems of a text, each with its word and what it counts; function words count little."""
    language = detect_language(text)
    analyser = Analyser("en" if language == UNKNOWN else language)
    found: dict[str, tuple[str, float]] = {}
    for word in words(text):
        terms = analyser.word_terms(word)
        for term in terms or (word.casefold(),):
            found.setdefault(term, (word, 1.0 if terms else _FUNCTION))
    return found
