"""Taking the words of documents that are gone out of texts that quoted them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from ..core import PURGED
from ..text import STOP_WORDS

_WORD = re.compile(r"\w+")
_SENTENCE = re.compile(r"(?<=[.!?:;|])\s+|\n+")
_SHORTEST = 20  # characters of a sentence that tells where it is from
_FIGURES = 4  # of a number that tells something by itself
_OF_ANSWERS = ("text", "answer", "prompt", "reply", "words")  # of a record that quotes a document
_OF_QUOTES = ("document", "id")  # keys that name the document a value is about


class Redaction:
    """Replaces what stands in documents that go and in none that stay.

    Words that only they have go wherever they are; sentences of theirs go whole; and of a record
    that quotes one of them, the quote, its title and its location, and the answer that rests on it.

    Parameters
    ----------
    documents : collection of str
        Ids of the documents that go.
    gone, kept : iterable of str
        The texts of documents that go, and of those that stay.
    dead_terms : collection of str
        Index terms that only documents that went have.
    is_common : callable
        Whether everybody knows a word: it gives nothing away.
    terms : callable
        The index terms of a word.

    Examples
    --------
    >>> redact = Redaction({"a"}, ["The safe opens with quelmast."], ["The safe is red."])
    >>> redact("Which code? quelmast!"), redact({"document": "a", "quote": "with it"})["quote"]
    ('Which code? [purged]!', '[purged]')
    """

    def __init__(
        self,
        documents: Iterable[str],
        gone: Iterable[str],
        kept: Iterable[str],
        *,
        dead_terms: Iterable[str] = (),
        is_common: Callable[[str], bool] = lambda _: False,
        terms: Callable[[str], Iterable[str]] = lambda _: (),
    ) -> None:
        self._documents = frozenset(documents)
        self._dead = frozenset(dead_terms)
        self._terms = terms
        self._is_common = is_common
        words: set[str] = set()
        sentences: set[str] = set()
        for text in (*gone, *self._documents):
            words.update(map(str.casefold, _WORD.findall(text)))
            sentences.update(_sentences(text))
        for text in kept:
            words.difference_update(map(str.casefold, _WORD.findall(text)))
            if sentences:
                sentences.difference_update(_sentences(text))
        self.words = frozenset(one for one in words if self._tells(one))
        self._sentences = frozenset(sentences)
        self._known: dict[str, bool] = {}

    def _tells(self, word: str) -> bool:
        if word.isdecimal():
            return len(word) >= _FIGURES
        return len(word) > 1 and word not in STOP_WORDS_OF_ALL and not self._is_common(word)

    def _goes(self, word: str) -> bool:
        """Whether a word goes: it is one of theirs, or an index term of it is."""
        word = word.casefold()
        found = self._known.get(word)
        if found is None:
            found = word in self.words or (
                self._tells(word)
                and bool(self._dead)
                and (word in self._dead or any(term in self._dead for term in self._terms(word)))
            )
            self._known[word] = found
        return found

    def __call__(self, value: Any) -> Any:
        """A text, or a value of JSON, without their words."""
        if isinstance(value, str):
            return self._text(value)
        if isinstance(value, Mapping):
            return self._mapping(value)
        if isinstance(value, list | tuple):
            return [self(one) for one in value]
        return value

    def _text(self, text: str) -> str:
        if text in self._documents:
            return PURGED
        parts = _SENTENCE.split(text)
        if self._sentences and any(_plain(part) in self._sentences for part in parts):
            for part in parts:
                if _plain(part) in self._sentences:
                    text = text.replace(part, PURGED)
        return _WORD.sub(lambda found: PURGED if self._goes(found[0]) else found[0], text)

    def _mapping(self, value: Mapping[str, Any]) -> dict[str, Any]:
        quotes = self._quotes(value)
        own = any(value.get(key) in self._documents for key in _OF_QUOTES)
        redacted: dict[str, Any] = {}
        for key, inner in value.items():
            whole = isinstance(inner, str) and inner and (own or (quotes and key in _OF_ANSWERS))
            redacted[self._text(key)] = PURGED if whole else self(inner)
        return redacted

    def _quotes(self, value: Any) -> bool:
        """Whether something in a value is of a document that goes."""
        if isinstance(value, Mapping):
            if any(value.get(key) in self._documents for key in _OF_QUOTES):
                return True
            return any(self._quotes(one) for one in value.values())
        if isinstance(value, list | tuple):
            return any(self._quotes(one) for one in value)
        return False


STOP_WORDS_OF_ALL = frozenset(word for words in STOP_WORDS.values() for word in words)


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold().strip("|*_#>- ")


def _sentences(text: str) -> set[str]:
    found = map(_plain, _SENTENCE.split(text))
    return {one for one in found if len(one) >= _SHORTEST}
