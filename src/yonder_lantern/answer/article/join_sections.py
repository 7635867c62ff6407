"""Answers under headings as one piece, its citations numbered once."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from ...core import Answer, ArticleSection, Citation

_MARK = re.compile(r"\[(\d+)\]")


def join_sections(
    sections: Sequence[tuple[str, Answer]],
) -> tuple[tuple[ArticleSection, ...], tuple[Citation, ...]]:
    """Sections and their citations; what two sections cite has one number.

    Parameters
    ----------
    sections : sequence of (str, Answer)
        Headings, and what is said under them.
    """
    numbers: dict[tuple[str, int, int, str], int] = {}
    citations: list[Citation] = []
    found = []
    for heading, answer in sections:
        renumbered: dict[int, int] = {}
        for one in answer.citations:
            mark = (one.document, one.start, one.end, one.quote)
            if mark not in numbers:
                numbers[mark] = len(citations) + 1
                citations.append(replace(one, number=numbers[mark]))
            renumbered[one.number] = numbers[mark]
        text = _MARK.sub(
            lambda match, known=renumbered: f"[{known.get(int(match[1]), match[1])}]",  # type: ignore[misc]
            answer.text,
        )
        statements = tuple(
            replace(one, citations=tuple(renumbered[number] for number in one.citations))
            for one in answer.statements
        )
        found.append(ArticleSection(heading, text, statements))
    return tuple(found), tuple(citations)


def titled(topic: str) -> str:
    """A topic as a title.

    Examples
    --------
    >>> titled("the boat lift?")
    'The boat lift'
    """
    bare = " ".join(topic.split()).strip(" .?!")
    return f"{bare[:1].upper()}{bare[1:]}"
