"""A piece as a script: the first voice leads on, the others say what is cited, in turns."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import cycle

from ...core import ArticleSection, VoiceLine

_MARKUP = re.compile(r"^\s*(?:[-*+]|\d{1,3}[.)])\s+|[*_`#]+|\s*\[\d+\]")


def script_of(
    title: str, sections: Sequence[ArticleSection], voices: Sequence[str]
) -> tuple[VoiceLine, ...]:
    """The lines of a script; every one but those of the first voice is cited.

    Parameters
    ----------
    title : str
    sections : sequence of ArticleSection
    voices : sequence of str
        Two or more; with one it says all.

    Examples
    --------
    >>> from yonder_lantern.core import BlockKind, Statement
    >>> told = Statement("The lift takes 60 tonnes.", BlockKind.PARAGRAPH, "en", (1,), 1.0)
    >>> for line in script_of("The lift", [ArticleSection("Load", "", (told,))], ["Ann", "Ben"]):
    ...     print(f"{line.voice}: {line.text}")
    Ann: The lift. First: Load.
    Ben: The lift takes 60 tonnes.
    """
    first, *others = voices
    telling = cycle(others or [first])
    lines = []
    for number, section in enumerate(sections):
        opens = f"{title}. First: " if not number else "Next: "
        ending = "" if section.heading.endswith(("?", "!", ".")) else "."
        lines.append(VoiceLine(first, f"{opens}{section.heading}{ending}"))
        for statement in section.statements:
            said = " ".join(_MARKUP.sub(" ", statement.text).replace("|", ", ").split()).strip(", ")
            if said:
                lines.append(VoiceLine(next(telling), said, statement.citations))
    return tuple(lines)
