"""The sentences of what a model wrote, as they are judged by reading.

How the library cuts sentences may change; these do not. A sentence is kept by the check when most
of it stands in the parts that the check keeps.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

_END = re.compile(r"(?<=[.!?])(?:\s*\[\d+\])*\s+(?=\S)|\n+")
_LIST_NUMBER = re.compile(r"^\s*(?:\d{1,2}|[a-z])[.)]$")


def sentences(text: str) -> list[tuple[int, int]]:
    """Where the sentences of a text are; a list's number goes with its item.

    Examples
    --------
    >>> text = "It opens at 8 [1]. It is:\\n1. red"
    >>> [text[start:end] for start, end in sentences(text)]
    ['It opens at 8 [1].', 'It is:', '1. red']
    """
    found: list[tuple[int, int]] = []
    start = 0
    for end in [*(match.end() for match in _END.finditer(text)), len(text)]:
        part = text[start:end]
        if _LIST_NUMBER.match(part.strip()):
            continue
        if part.strip():
            context_header = len(part) - len(part.lstrip())
            found.append((start + context_header, start + len(part.rstrip())))
        start = end
    return found


def is_kept(sentence: tuple[int, int], kept: Sequence[tuple[int, int]]) -> bool:
    """Whether most of a sentence lies in some kept parts."""
    start, end = sentence
    shared = sum(max(0, min(end, last) - max(start, first)) for first, last in kept)
    return 2 * shared > end - start
