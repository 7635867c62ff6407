"""Terms: what a word becomes in the index, the same for texts and questions."""

from __future__ import annotations

import re
import threading
import unicodedata
from collections.abc import Callable
from itertools import chain, repeat

from .dates import written_dates
from .irregular import IRREGULAR
from .stopwords import ELIDED, STOP_WORDS
from .tokens import Tokenized, words

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

_SIGNS = {"~": "tilde", "&": "ampersand", "\\": "backslash", "^": "caret"}
_ALONE = re.compile(r"(?<![^\s(\[\"'`“‘])[~&\\^](?![^\s)\]\"'`”’.,;:!?/])")


class Analyser:
    """Turn words into terms for one language.

    A word is folded in case and form (NFKC), dropped when it is a function word
    of the language, and stemmed; English forms that follow no rule ("paid") are
    looked up. A date also gives itself as ``2026-05-03``, a sign that stands alone
    its name (``~`` is ``tilde``). A word with marks inside it gives its parts, but
    for what is elided (``l'écluse``); a code or number (one that holds a figure)
    also gives itself whole, so that ``CR-02`` is found by ``CR-02`` before anything
    that only has ``CR``.

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
    >>> Analyser("en").terms("who paid for the knives"), Analyser("de").terms("paid")
    (['pay', 'knife'], ['paid'])
    >>> Analyser("en").terms("type ~ or the tilde")
    ['type', 'tild', 'tild']
    """

    def __init__(self, language: str) -> None:
        self.language = language
        self._stops = STOP_WORDS.get(language, frozenset())
        self._irregular = IRREGULAR if language == "en" else {}
        before = "|".join(sorted(ELIDED.get(language, ())))
        self._elided = re.compile(rf"\b(?:{before})['’]" if before else r"(?!)")  # or nothing
        self._known = _Known(self._analyse)
        self._stemmer = None
        if language in _STEMMERS:
            import Stemmer

            self._stemmer = Stemmer.Stemmer(_STEMMERS[language])

    def terms(self, text: str) -> list[str]:
        """The terms of a text, in order, with repetitions."""
        found = list(chain.from_iterable(map(self._known.__getitem__, words(text))))
        besides = [*written_dates(text), *self._signs(text)]
        return found + [term for _, term in besides]

    def placed_terms(self, tokens: Tokenized) -> tuple[list[int], list[str]]:
        """The terms of a text and, beside them, the offsets their words begin at."""
        terms = list(map(self._known.__getitem__, tokens.words))
        found = list(chain.from_iterable(terms))
        starts = list(chain.from_iterable(map(repeat, tokens.word_starts, map(len, terms))))
        besides = [*written_dates(tokens.text), *self._signs(tokens.text)]
        if besides:
            placed = sorted([*zip(starts, found, strict=True), *besides], key=lambda pair: pair[0])
            return [start for start, _ in placed], [term for _, term in placed]
        return starts, found

    def _signs(self, text: str) -> list[tuple[int, str]]:
        """Where signs stand by themselves, each as the term of its name: asked for as "tilde"."""
        if not any(sign in text for sign in _SIGNS):
            return []
        return [
            (match.start(), term)
            for match in _ALONE.finditer(text)
            for term in self._known[_SIGNS[match.group()]]
        ]

    def word_terms(self, word: str) -> tuple[str, ...]:
        """The terms of one word; empty for a function word."""
        return self._known[word]

    def _analyse(self, word: str) -> tuple[str, ...]:
        folded = _POSSESSIVE.sub("", unicodedata.normalize("NFKC", word).casefold())
        folded = self._elided.sub("", folded)
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
        return str(self._stemmer.stemWord(self._irregular.get(word, word)))


class _Known(dict[str, tuple[str, ...]]):
    """The terms of words, worked out when they are first asked for."""

    def __init__(self, analyse: Callable[[str], tuple[str, ...]]) -> None:
        super().__init__()
        self._analyse = analyse
        self._lock = threading.Lock()

    def __missing__(self, word: str) -> tuple[str, ...]:
        with self._lock:  # a stemmer is not safe to share between threads
            found = self._analyse(word)
            if len(self) < _KEPT_WORDS:
                self[word] = found
        return found
