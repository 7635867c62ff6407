"""An outline that a model proposes: a title, and a heading with a question for each section."""

from __future__ import annotations

import re
from dataclasses import dataclass

_TITLE = re.compile(r"^\s*(?:#\s*|title:\s*)(?P<title>\S.*?)\s*$", re.M | re.I)
_PART = re.compile(
    r"^\s*\d{1,2}[.)]\s+(?P<heading>[^|\n]+?)\s*\|\s*(?P<question>[^|\n]+?)\s*$", re.M
)
_LONGEST = 200  # characters of a heading or a question


@dataclass(frozen=True, slots=True)
class ProposedOutline:
    """A title, and for each section its heading and the question that it answers."""

    title: str
    parts: tuple[tuple[str, str], ...]


def outline_in(reply: str, most: int) -> ProposedOutline | None:
    """The outline in a model's reply; None where there is none that can be written.

    Parameters
    ----------
    reply : str
    most : int
        Sections; what goes beyond is left out.

    Examples
    --------
    >>> outline_in("Title: The lift\\n1. Booking | How is a lift booked?", 5).parts
    (('Booking', 'How is a lift booked?'),)
    >>> outline_in("I cannot do that.", 5)
    """
    parts = [
        (one["heading"].strip("*# "), one["question"])
        for one in _PART.finditer(reply)
        if len(one["heading"]) <= _LONGEST and len(one["question"]) <= _LONGEST
    ]
    if not parts:
        return None
    title = _TITLE.search(reply)
    return ProposedOutline(title["title"][:_LONGEST] if title else "", tuple(parts[:most]))
