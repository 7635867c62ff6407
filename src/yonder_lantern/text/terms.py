"""Terms: what a word becomes in the index, the same for texts and questions."""

from __future__ import annotations

import re
import threading
import unicodedata

from .dates import written_dates
from .stopwords import STOP_WORDS
from .tokens import word_spans, words

# ISO 639-1 codes and the stemmers (Snowball algorithms, Porter 2001) that go with them.
_STEMMERS = {
    "en": "english",
    "de": "german",
    "fr": "french",
    "es": "spanish",
    "it": "italian",
    "nl": "dutch",
    "pt": "portuguese",
    "sv": "swedish",
}
_INNER = re.compile(r"[.,:'’\-‑/&_+@]")
_POSSESSIVE = re.compile(r"['’]s$")
_KEPT_WORDS = 200_000  # words whose terms are remembered; a bound on memory, not on the text


class Analyser:
    """Turns words into terms for one language.

    A word is folded in case and form (NFKC), dropped when it is a function word
    of the language, and stemmed. A date also gives itself as ``2026-05-03``. A word
    with marks inside it gives its parts; a
    code or number (one that holds a figure) also gives itself whole, so that
    ``CR-02`` is found by ``CR-02`` before anything that only has ``CR``.

    Parameters
    ----------
    language : str
        ISO 639-1 code. Unknown languages are folded but not stemmed.

    References
    ----------
    Porter (2001), Snowball: a language for stemming algorithms.

    Examples
    --------
    >>> Analyser("en").terms("The boats' moorings at CR-02")
    ['boat', 'moor', 'cr-02', 'cr', '02']
    """

    def __init__(self, language: str) -> None:
        self.language = language
        self._stops = STOP_WORDS.get(language, frozenset())
        self._known: dict[str, tuple[str, ...]] = {}
        self._lock = threading.Lock()
        self._stemmer = None
        if language in _STEMMERS:
            import Stemmer

            self._stemmer = Stemmer.Stemmer(_STEMMERS[language])

    def terms(self, text: str) -> list[str]:
        """The terms of a text, in order, with repetitions."""
        found = [term for word in words(text) for term in self.word_terms(word)]
        return found + [moment for _, moment in written_dates(text)]

    def placed_terms(self, text: str) -> tuple[list[int], list[str]]:
        """The terms of a text and, beside them, the offsets their words begin at."""
        starts: list[int] = []
        found: list[str] = []
        for start, word in word_spans(text):
            for term in self.word_terms(word):
                starts.append(start)
                found.append(term)
        dates = written_dates(text)
        if dates:
            placed = sorted([*zip(starts, found, strict=True), *dates], key=lambda pair: pair[0])
            return [start for start, _ in placed], [term for _, term in placed]
        return starts, found

    def word_terms(self, word: str) -> tuple[str, ...]:
        """The terms of one word; empty for a function word."""
        known = self._known.get(word)
        if known is None:
            with self._lock:  # a stemmer is not safe to share between threads
                known = self._analyse(word)
                if len(self._known) < _KEPT_WORDS:
                    self._known[word] = known
        return known

    def _analyse(self, word: str) -> tuple[str, ...]:
        folded = _POSSESSIVE.sub("", unicodedata.normalize("NFKC", word).casefold())
        if folded in self._stops or word.casefold() in self._stops:
            return ()
        if not _INNER.search(folded):
            return (self._stem(folded),)
        parts = [part for part in _INNER.split(folded) if part]
        if any(character.isdigit() for character in folded):
            return (folded, *parts)
        return tuple(self._stem(part) for part in parts if part not in self._stops)

    def _stem(self, word: str) -> str:
        if self._stemmer is None or any(character.isdigit() for character in word):
            return word
        return str(self._stemmer.stemWord(word))
