"""When two names mean the same thing, and why."""

from __future__ import annotations

import re

_ARTICLE = re.compile(r"^(?:the|a|an)\s+", re.I)
_TITLE = re.compile(r"^(?:mr|mrs|ms|dr|captain|capt)\.?\s+", re.I)


def key_of(name: str) -> str:
    """What a name comes to without article, title, case, hyphens and a plural's s.

    Examples
    --------
    >>> key_of("The Boat-Lifts"), key_of("boat lift"), key_of("BL-60")
    ('boat lift', 'boat lift', 'bl 60')
    """
    bare = _TITLE.sub("", _ARTICLE.sub("", " ".join(name.split()))).casefold()
    bare = re.sub(r"[-‐–_/]+", " ", bare).strip(" .'’\"“”")
    if len(bare) > 4 and bare.endswith("s") and not bare.endswith(("ss", "us", "is")):
        bare = bare[:-1]
    return bare


def why_the_same(name: str, other: str) -> str:
    """Why two names with one key mean the same; empty if they are written alike.

    Examples
    --------
    >>> why_the_same("the boat lift", "Boat-lift")
    'written otherwise'
    """
    return "" if name == other else "written otherwise"
