"""Whether two texts contradict each other."""

from __future__ import annotations

from collections.abc import Iterator

from ..search import analyser_for
from ..text import UNKNOWN, sentences
from .check import Evidence, check, values_in

_VALUES = frozenset(("number", "unit", "date", "time"))
_OTHERWISE = _VALUES | {"negation", "opposite", "force"}
_ABOUT_THE_SAME = 0.7  # share of a sentence's words that the other sentence has


def contradicts(text: str, other: str, language: str) -> bool:
    """Whether a sentence of a text is about the same as one of another, and contradicts it.

    A value that the other sentence merely lacks is no contradiction: it must have one of its own.

    Examples
    --------
    >>> contradicts("The quay closes at 21:00.", "The quay closes at 22:00 in summer.", "en")
    True
    >>> contradicts("The quay closes at 21:00.", "The quay closes in winter.", "en")
    False
    """
    analyser = analyser_for(language or UNKNOWN)
    for said in _sentences(text):
        for there in _sentences(other):
            verdict = check(said, [Evidence(there)], analyser)
            kinds = {fault.kind for fault in verdict.faults}
            if verdict.covered < _ABOUT_THE_SAME or not kinds or not kinds <= _OTHERWISE:
                continue
            if kinds <= _VALUES and not values_in(there):
                continue
            return True
    return False


def _sentences(text: str) -> Iterator[str]:
    """The sentences of a text, each line of a table or list by itself."""
    for line in text.splitlines():
        if line.lstrip().startswith(("|", "-", "*")) or "\t" in line:
            yield line.strip()
    for begin, end in sentences(text, 0, len(text)):
        yield text[begin:end]
