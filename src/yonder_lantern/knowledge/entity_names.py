"""When two names mean the same thing, and why."""

from __future__ import annotations

import re
from functools import lru_cache

_ARTICLE = re.compile(r"^(?:the|a|an)\s+", re.I)
_TITLE = re.compile(r"^(?:mr|mrs|ms|dr|captain|capt)\.?\s+", re.I)
_HYPHEN = re.compile(r"(?<=\w)[-‐–/]+(?=\w)")
_CODE = re.compile(r"_|\w\.\w|[\\@~^|<>{}\[(]")
_SHORT = 2  # characters up to which every one counts: the options -r and R are two things
_WORDS_MORE = 2  # that a long form may have beyond the letters of its short one


@lru_cache(maxsize=4096)  # the cells of a row share their subject
def key_of(name: str) -> str:
    """What a name comes to without article, title, case, hyphens and a plural's s.

    What is short, code, or written in capitals throughout is kept as it is: there, every
    character counts.

    Examples
    --------
    >>> key_of("The Boat-Lifts"), key_of("boat lift"), key_of("BL-60")
    ('boat lift', 'boat lift', 'bl 60')
    >>> key_of("-r"), key_of("R"), key_of("__init__"), key_of("EDITOR")
    ('-r', 'R', '__init__', 'EDITOR')
    """
    written = " ".join(name.split())
    plain = _TITLE.sub("", _ARTICLE.sub("", written)).strip(" '’\"“”").rstrip(".")
    if not plain[:1].isalnum() or _CODE.search(plain) or len(plain) <= _SHORT:
        return plain or written
    if plain.isalpha() and plain.isupper():
        return plain
    bare = _HYPHEN.sub(" ", plain.casefold())
    if len(bare) > 4 and bare.endswith("s") and not bare.endswith(("ss", "us", "is")):
        bare = bare[:-1]
    return bare


def keys_of(name: str) -> tuple[str, ...]:
    """The keys that a name may be meant by: as it is written, and in capitals."""
    return tuple(dict.fromkeys((key_of(name), key_of(name.upper()))))


def is_short_form(short: str, long: str) -> bool:
    """Whether a short form is made of the first letters of a long one, in order.

    Examples
    --------
    >>> is_short_form("VTS", "vessel traffic service"), is_short_form("LILO", "LInux LOader")
    (True, True)
    >>> is_short_form("NOT", "normal query and a negated"), is_short_form("OR", "signs such as |")
    (False, False)
    """
    letters = [char.casefold() for char in short if char.isupper()]
    words = [word for word in re.split(r"[\s/-]+", long) if word]
    if not letters or len(words) > len(letters) + _WORDS_MORE or re.search(r"[|=<>{}]", long):
        return False
    initials = iter(word[0].casefold() for word in words)
    if all(letter in initials for letter in letters):
        return True
    parts = iter(char.casefold() for char in long if char.isupper())  # LInux LOader
    return all(letter in parts for letter in letters)


def why_the_same(name: str, other: str) -> str:
    """Why two names with one key mean the same; empty if they are written alike.

    Examples
    --------
    >>> why_the_same("the boat lift", "Boat-lift")
    'written otherwise'
    """
    return "" if name == other else "written otherwise"
