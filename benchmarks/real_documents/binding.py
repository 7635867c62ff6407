"""Spans of real documents, kept without their words, and found again.

A span is a file, the hash of its canonical text, offsets, and the number and hash of its words.
Where the text has changed since (a point release, another version of a format), the words are
looked for by their hash: first in the same file, then in all.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

_WORD = re.compile(r"\S+")
_BARE = re.compile(r"^\W+|\W+$")


@dataclass(frozen=True)
class Bound:
    """A span without its words; offsets are half-open code points of canonical text."""

    package: str
    file: str
    text: str
    start: int
    end: int
    words: int
    hash: str


def digest(text: str) -> str:
    """Sixteen hexadecimal digits of SHA-256."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:16]


def bound(file: str, text: str, start: int, end: int, package: str = "") -> Bound:
    """The span of a text, to be kept."""
    words = text[start:end].split()
    return Bound(package, file, digest(text), start, end, len(words), digest(" ".join(words)))


def found_again(span: Bound, texts: Mapping[str, str]) -> tuple[str, int, int] | None:
    """The file and offsets where a span is today; None where its words are nowhere."""
    own = texts.get(span.file)
    if own is not None and digest(own) == span.text:
        return span.file, span.start, span.end
    for file in [span.file] * (own is not None) + [one for one in texts if one != span.file]:
        for start, end in _windows(texts[file], span.words):
            if digest(" ".join(texts[file][start:end].split())) == span.hash:
                return file, start, end
    return None


def _windows(text: str, words: int) -> Iterator[tuple[int, int]]:
    """Every run of so many words, also from or to within the marks around a word."""
    at = [match.span() for match in _WORD.finditer(text)]
    for first in range(len(at) - words + 1):
        start, end = at[first][0], at[first + words - 1][1]
        head = _BARE.match(text[start : at[first][1]])
        tail = _BARE.search(text[at[first + words - 1][0] : end])
        starts = {start, start + (len(head[0]) if head else 0)}
        ends = {end, end - (len(tail[0]) if tail and tail.end() else 0)}
        yield from ((one, other) for one in starts for other in ends if one < other)


def phrase(text: str) -> tuple[int, str]:
    """What must be said, kept without its words: how many there are, and their hash."""
    words = _plain(text)
    return len(words), digest(" ".join(words))


def says(answer: str, words: int, hash_: str) -> bool:
    """Whether an answer holds a kept phrase.

    Examples
    --------
    >>> says("It closes at **20:00** [1].", *phrase("20:00"))
    True
    >>> says("It closes early.", *phrase("20:00"))
    False
    """
    own = _plain(answer)
    runs = (" ".join(own[at : at + words]) for at in range(len(own) - words + 1))
    return any(digest(run) == hash_ for run in runs)


def _plain(text: str) -> list[str]:
    """The words without the marks around them, in lower case."""
    bare = (_BARE.sub("", word).casefold() for word in re.split(r"[\s|*_`]+", text))
    return [word for word in bare if word]
