"""Passages that say the same, found in several places: shown once, the others named.

References
----------
Broder (1997), On the resemblance and containment of documents.
"""

from __future__ import annotations

import re

_WORD = re.compile(r"\w+")
_ALIKE = 0.9  # of the word triples of both, from which two passages say the same
_LENGTHS = 0.8  # how unlike in length two passages may be that are compared at all


class Folding:
    """Remembers passages and tells whether a further one says the same as one of them.

    Parameters
    ----------
    read : dict
        What was read of texts before, by the text.
    """

    def __init__(self, read: dict[str, _Said] | None = None) -> None:
        self._known: list[_Said] = []
        self._read = {} if read is None else read

    def same_as(self, text: str) -> int | None:
        """The number of the earlier passage that says the same; None if it is a new one.

        Two that differ in a number, a date or a code never say the same.

        Examples
        --------
        >>> folding = Folding()
        >>> words = "The fuel berth on the east quay opens at {} on working days, all year."
        >>> [folding.same_as(words.format(at)) for at in ("08:00", "09:00", "08:00")]
        [None, None, 0]
        """
        said = self._read.get(text) or self._read.setdefault(text, _Said(text))
        for number, other in enumerate(self._known):
            if said.same(other):
                return number
        self._known.append(said)
        return None

    def forget_last(self) -> None:
        """Forget the passage that was new last: it is not shown after all."""
        self._known.pop()


class _Said:
    def __init__(self, text: str) -> None:
        words = _WORD.findall(text.casefold())
        self._size = len(words)
        self._figures = sorted(
            word for word in words if not word.isalpha() and any(map(str.isdigit, word))
        )
        self._words = words
        self._triples: frozenset[tuple[str, ...]] | None = None

    @property
    def triples(self) -> frozenset[tuple[str, ...]]:
        if self._triples is None:
            words_of = self._words
            size = max(1, len(words_of) - 2)
            self._triples = frozenset(tuple(words_of[at : at + 3]) for at in range(size))
        return self._triples

    def same(self, other: _Said) -> bool:
        short, long = sorted((self._size, other._size))
        if short < _LENGTHS * long or self._figures != other._figures:
            return False
        together = len(self.triples | other.triples)
        return len(self.triples & other.triples) >= _ALIKE * together
