"""Several questions in one: their parts."""

from __future__ import annotations

import re

from ..text import words

_ASKING = (
    r"what|when|where|who|whom|whose|which|why|how|is|are|was|were|do|does|did|can|could|may|must"
    r"|should|will|at what|in which|in what|on which|for how|from when|by when|until when|to whom"
)
_JOINED = re.compile(
    rf"(?<!\s)(?:\s*[,;])?\s+and\s+(?=(?:{_ASKING})\b)|(?<=[?])\s+(?=(?:and\s+)?(?:{_ASKING})\b)",
    re.I,
)
_BEGINS = re.compile(rf"\s*(?:and\s+)?(?:{_ASKING})\b", re.I)
_LEAST = 3  # words that a part has at least
_MOST = 4  # parts


def parts_of(question: str) -> tuple[str, ...]:
    """The questions that are asked together; the question alone if it is one.

    Examples
    --------
    >>> parts_of("What does a yacht pay, and when is the office open?")
    ('What does a yacht pay?', 'when is the office open?')
    >>> parts_of("Who cleans the slip and the quay?")
    ('Who cleans the slip and the quay?',)
    """
    found = [part.strip(" ,;?") for part in _JOINED.split(question)]
    whole = all(_BEGINS.match(part) and len(words(part)) >= _LEAST for part in found)
    if not 1 < len(found) <= _MOST or not whole:
        return (question,)
    return tuple(f"{part}?" for part in found)
