"""The words and short phrases a text is about.

References
----------
Rose, Engel, Cramer, Cowley (2010), Automatic keyword extraction from individual
documents, for phrases between function words.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass

from .terms import Analyser
from .tokens import Tokenized, tokenize

_PARTS = re.compile(r"[^\w\s]|\n")  # what parts two phrases
_LONGEST = 3  # words
_WORTH = {size: size**0.5 for size in range(1, _LONGEST + 1)}
_ABOVE = 3  # times that a phrase counts in a title or heading


def key_terms(
    tokens: Tokenized, headings: str, analyser: Analyser, *, within: int, most: int = 8
) -> list[str]:
    """The phrases that a text uses most, written as it writes them.

    A phrase is up to three words between function words and marks. It counts as
    often as it stands in the text, more if it is long and three times in headings;
    what is part of a phrase that counts as much is left out.

    Parameters
    ----------
    tokens : Tokenized
        Of the text.
    headings : str
        The title and headings, one a line.
    analyser : Analyser
        For the language of the text.
    within : int
        Only so many characters of the text are looked at.
    most : int
        How many to give.

    Examples
    --------
    >>> text = "A tidal basin is deep. In the tidal basin a lock gate is shut."
    >>> key_terms(tokenize(text), "The tidal basin", Analyser("en"), within=1000, most=2)
    ['tidal basin', 'lock gate']
    """
    above = _runs(tokenize(headings), analyser, len(headings))
    below = _runs(tokens, analyser, within)
    counts = _counted(below.terms)
    for phrase, count in _counted(above.terms).items():
        counts[phrase] += _ABOVE * count

    def order(phrase: tuple[str, ...]) -> tuple[float, tuple[str, ...]]:
        return -counts[phrase] * _WORTH[len(phrase)], phrase

    chosen: list[tuple[str, ...]] = []
    # What stands but once counts less than anything that stands twice: mostly it need not be
    # put in order.
    for often in (True, False):
        if len(chosen) == most:
            break
        found = (run for run, count in counts.items() if (count > 1) is often and "" not in run)
        for phrase in sorted(found, key=order):
            if not any(_within(phrase, other) or _within(other, phrase) for other in chosen):
                chosen.append(phrase)
                if len(chosen) == most:
                    break
    return [_as_written(phrase, above, below) for phrase in chosen]


@dataclass(frozen=True, slots=True)
class _Runs:
    """The terms of a text and its words, with an empty one between two runs."""

    terms: list[str]
    words: list[str]


def _runs(tokens: Tokenized, analyser: Analyser, within: int) -> _Runs:
    words: list[str] = []
    end = 0
    text = tokens.text
    for start, word in zip(tokens.word_starts, tokens.words, strict=True):
        if start + len(word) > within:
            break
        between = text[end:start]
        if between != " " and _PARTS.search(between):
            words.append("")
        words.append(word)
        end = start + len(word)
    known = {word: _term(word, analyser) for word in set(words)}
    return _Runs([known[word] for word in words], words)


def _term(word: str, analyser: Analyser) -> str:
    """The term of a word that can stand in a phrase; empty for what ends one."""
    if len(word) <= 2 or not word.isalpha():
        return ""
    terms = analyser.word_terms(word)
    return terms[0] if len(terms) == 1 else ""


def _counted(terms: list[str]) -> Counter[tuple[str, ...]]:
    """How often each phrase stands there; those with an empty term are none."""
    counts: Counter[tuple[str, ...]] = Counter()
    for size in range(1, _LONGEST + 1):
        counts.update(zip(*(terms[at:] for at in range(size)), strict=False))
    return counts


def _as_written(phrase: tuple[str, ...], *runs: _Runs) -> str:
    """How a phrase is written most often."""
    size, wanted = len(phrase), list(phrase)
    written: Counter[str] = Counter()
    for run in runs:
        at = -1
        for _ in range(run.terms.count(phrase[0])):
            at = run.terms.index(phrase[0], at + 1)
            if run.terms[at : at + size] == wanted:
                words = " ".join(run.words[at : at + size])
                written[words if words.isupper() else words.lower()] += 1
    return written.most_common(1)[0][0]


def _within(phrase: tuple[str, ...], other: tuple[str, ...]) -> bool:
    size = len(phrase)
    return any(other[at : at + size] == phrase for at in range(len(other) - size + 1))
