"""The words and short phrases a text is about.

References
----------
Rose, Engel, Cramer, Cowley (2010), Automatic keyword extraction from individual
documents, for phrases between function words.
"""

from __future__ import annotations

import re
from collections import Counter

from .terms import Analyser
from .tokens import WORD

_PIECE = re.compile(WORD + r"|[^\w\s]|\n")
_LONGEST = 3  # words
_ABOVE = 3  # times that a phrase counts in a title or heading


def key_terms(text: str, headings: str, analyser: Analyser, *, most: int = 8) -> list[str]:
    """The phrases that a text uses most, written as it writes them.

    A phrase is up to three words between function words and marks. It counts as
    often as it stands in the text, more if it is long and three times in headings;
    what is part of a phrase that counts as much is left out.

    Parameters
    ----------
    text : str
    headings : str
        The title and headings, one a line.
    analyser : Analyser
        For the language of the text.
    most : int
        How many to give.

    Examples
    --------
    >>> text = "A tidal basin is deep. In the tidal basin a lock gate is shut."
    >>> key_terms(text, "The tidal basin", Analyser("en"), most=2)
    ['tidal basin', 'lock gate']
    """
    counts: Counter[tuple[str, ...]] = Counter()
    written: dict[tuple[str, ...], Counter[str]] = {}
    for source, weight in ((headings, _ABOVE), (text, 1)):
        run: list[tuple[str, str]] = []
        for match in _PIECE.finditer(f"{source}\n"):
            word = match.group()
            terms = analyser.word_terms(word) if word[0].isalnum() else ()
            if len(terms) == 1 and word.isalpha() and len(word) > 2:
                run.append((terms[0], word))
                continue
            _count(run, weight, counts, written)
            run = []
    scored = {phrase: count * len(phrase) ** 0.5 for phrase, count in counts.items()}
    chosen: list[tuple[str, ...]] = []
    for phrase in sorted(scored, key=lambda one: (-scored[one], one)):
        if len(chosen) == most:
            break
        if not any(_within(phrase, other) or _within(other, phrase) for other in chosen):
            chosen.append(phrase)
    return [written[phrase].most_common(1)[0][0] for phrase in chosen]


def _count(
    run: list[tuple[str, str]],
    weight: int,
    counts: Counter[tuple[str, ...]],
    written: dict[tuple[str, ...], Counter[str]],
) -> None:
    for size in range(1, _LONGEST + 1):
        for at in range(len(run) - size + 1):
            own = run[at : at + size]
            phrase = tuple(term for term, _ in own)
            counts[phrase] += weight
            words = " ".join(word for _, word in own)
            written.setdefault(phrase, Counter())[words if words.isupper() else words.lower()] += 1


def _within(phrase: tuple[str, ...], other: tuple[str, ...]) -> bool:
    size = len(phrase)
    return any(other[at : at + size] == phrase for at in range(len(other) - size + 1))
