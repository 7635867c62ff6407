"""A style of writing, learnt from texts beside others."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence

from .style_marks import style_marks

_PRIOR = 200.0  # marks that each side is taken to have had before, as all texts have them
# A logistic regression of the log-odds over the root of their number, fitted by
# benchmarks/style/measure.py on pieces of three sentences.
_SLOPE, _LEVEL = 2.43, 0.33
_SAMPLE = (120, 1200)  # characters of a paragraph that can be shown as a sample


class Style:
    """A style of writing.

    Parameters
    ----------
    own : sequence of str
        Paragraphs in that style.
    others : sequence of str
        Paragraphs in others, beside which it is told.

    References
    ----------
    Monroe, Colaresi, Quinn (2008), Fightin' words: log-odds with an informative prior.

    Examples
    --------
    >>> letters = ["We're glad you asked! Come and see us, won't you?"] * 9
    >>> rules = ["The master of a vessel shall report to the office within one hour."] * 9
    >>> style = Style(letters, rules)
    >>> style.likeness("You'll love it here, won't you?") > 0.6
    True
    >>> style.likeness("The owner shall pay the dues within two weeks.") < 0.4
    True
    """

    def __init__(self, own: Sequence[str], others: Sequence[str]) -> None:
        mine, theirs = _counted(own), _counted(others)
        both = mine + theirs
        all_marks = both.total()
        self._own = tuple(own)
        self._odds = {}
        for mark, count in both.items():
            usual = _PRIOR * count / all_marks
            here = math.log((mine[mark] + usual) / (mine.total() + _PRIOR))
            there = math.log((theirs[mark] + usual) / (theirs.total() + _PRIOR))
            self._odds[mark] = here - there

    def likeness(self, text: str) -> float:
        """The probability that a text is in this style and not in the others, 0 to 1.

        A text of a few words is told by little, and is about as likely in either.
        """
        odds = [self._odds.get(mark, 0.0) for mark in style_marks(text)]
        score = math.fsum(odds) / math.sqrt(len(odds)) if odds else 0.0
        return 1 / (1 + math.exp(-(_SLOPE * score + _LEVEL)))

    def samples(self, most: int, characters: int) -> list[str]:
        """Paragraphs that show the style best.

        Parameters
        ----------
        most : int
        characters : int
            That they may have together.
        """
        low, high = _SAMPLE
        able = [text for text in dict.fromkeys(self._own) if low <= len(text) <= high]
        able.sort(key=lambda text: (-self.likeness(text), text))
        found: list[str] = []
        for text in able:
            if len(found) == most:
                break
            if len(text) <= characters:
                found.append(text)
                characters -= len(text)
        return found


def _counted(texts: Iterable[str]) -> Counter[str]:
    return Counter(mark for text in texts for mark in style_marks(text))
