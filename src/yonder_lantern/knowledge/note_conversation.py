"""A conversation as notes: what was asked and answered, in as many notes as it takes."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..core import LONGEST_NOTE

_MARK = re.compile(r"\s?\[\d+\]")


def as_note_texts(turns: Iterable[tuple[str, str]]) -> list[str]:
    """The texts of the notes that hold a conversation, each of whole turns.

    Parameters
    ----------
    turns : iterable of (str, str)
        Questions and answers. A turn that is longer than a note is cut at its end.

    Examples
    --------
    >>> as_note_texts([("When?", "At noon. [1]")])
    ['Asked: When?\\n\\nAnswered: At noon.']
    """
    found: list[str] = []
    for question, answer in turns:
        told = f"Asked: {question.strip()}\n\nAnswered: {_MARK.sub('', answer).strip()}"
        if len(told) > LONGEST_NOTE:
            told = f"{told[: LONGEST_NOTE - 2]} …"
        if found and len(found[-1]) + len(told) + 2 <= LONGEST_NOTE:
            found[-1] += f"\n\n{told}"
        else:
            found.append(told)
    return found
