"""Things that a question names: what answers it must be about them, however common the names are.

"Does Lantern run on barges?" is not answered by "Winches run on barges". How rare a word is tells
nothing of that: in a collection about one thing its name is everywhere, and so counts for least.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import identifiers, words

_CAPITAL = re.compile(r"(?<![\w.-])[A-Z][\w'’-]+")
_QUOTED = re.compile(r"[`“\"]([\w][\w .:/-]{1,40})[`”\"]")
_FIRST_WORD = re.compile(r"\W*[\w'’-]+")
_ENDING = re.compile(r"(?:['’]s|s)$")
_NO_NAMES = frozenset(  # words with a capital that name no thing
    """i i'm i'd i've i'll january february march april may june july august september october
    november december monday tuesday wednesday thursday friday saturday sunday ok
    english german french""".split()
)


def named_in(question: str, language: str) -> list[str]:
    """The names in a question but its first word: with a capital, or written as no plain word.

    In German, where every noun has a capital, only the latter.

    Examples
    --------
    >>> named_in("Does Lantern run on barges?", "en"), named_in("Where is the quay?", "en")
    (['Lantern'], [])
    """
    found = [match[1] for match in _QUOTED.finditer(question)]
    found += [match.group() for match in identifiers(question)]
    if language != "de":
        first = _FIRST_WORD.match(question)
        rest = question[first.end() :] if first else question
        found += [name for name in _CAPITAL.findall(rest) if name.casefold() not in _NO_NAMES]
    return list(dict.fromkeys(found))


def is_about(names: Sequence[str], *texts: str) -> bool:
    """Whether each of some names stands in one of some texts: an identifier as it is written.

    Examples
    --------
    >>> is_about(["Lantern", "--test"], "Lantern's test", "Use --test.")
    True
    >>> is_about(["--test"], "test")
    False
    """
    folded = [text.casefold() for text in texts]
    there = {part for text in folded for part in _parts(text)}
    return all(
        there.issuperset(_parts(name.casefold()))
        if name.replace("'", "").replace("’", "").isalnum()
        else any(_written(name.casefold(), text) for text in folded)
        for name in names
    )


def _written(name: str, text: str) -> bool:
    return re.search(rf"(?<![\w-]){re.escape(name)}(?![\w-])", text) is not None


def _parts(text: str) -> set[str]:
    return {_ENDING.sub("", word) for word in words(text)}
