"""Leaving out what a model thinks to itself, between ``<think>`` and ``</think>``."""

from __future__ import annotations

_BEGIN, _END = "<think>", "</think>"


class Thinking:
    """Takes the pieces of a text and gives what is not thought.

    Examples
    --------
    >>> thinking = Thinking()
    >>> pieces = ["<th", "ink>Hm", ".</think>", " At noon", "."]
    >>> "".join(map(thinking.spoken, pieces)) + thinking.rest()
    'At noon.'
    """

    def __init__(self) -> None:
        self._left = ""
        self._inside = False
        self._spoken = False

    def spoken(self, piece: str) -> str:
        """What of a further piece is part of the answer."""
        self._left += piece
        found = ""
        while True:
            mark = _END if self._inside else _BEGIN
            before, there, behind = self._left.partition(mark)
            if not there:
                break
            found += "" if self._inside else before
            self._inside = not self._inside
            self._left = behind
        kept = _beginning_of(mark, self._left)
        if not self._inside:
            found += self._left[: len(self._left) - kept]
        self._left = self._left[len(self._left) - kept :]
        return self._trimmed(found)

    def rest(self) -> str:
        """What was held back, now that nothing more comes."""
        left, self._left = ("" if self._inside else self._left), ""
        return self._trimmed(left)

    def _trimmed(self, text: str) -> str:
        """Without the blank lines that follow what was thought before the answer begins."""
        if not self._spoken:
            text = text.lstrip()
        self._spoken = self._spoken or bool(text)
        return text


def _beginning_of(mark: str, text: str) -> int:
    """How many characters at the end of a text may be the beginning of a mark."""
    return next((n for n in range(len(mark) - 1, 0, -1) if text.endswith(mark[:n])), 0)
