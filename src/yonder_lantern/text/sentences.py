"""Sentences as ranges of a text."""

from __future__ import annotations

import re

_END = re.compile(r"(?<![.!?…])[.!?…]+[\"'”’)\]*_]*(?=\s)|[。！？]")
_OPENING = re.compile(r"\s+[\"'“‘(\[*_`]*([^\W_])")
_ABBREVIATION = re.compile(
    r"(?:^|[\s(\[\"'])(?:[A-Za-z]|(?:[A-Za-z]\.)+[A-Za-z]?|no|nos|vol|pp?|fig|approx|ca|cf|vs|etc"
    r"|dr|mr|mrs|ms|prof|st|capt|sgt|gen|rev|hon|jr|sr|dept|est|inc|ltd|co|tel|ext|art|sec|ch"
    r"|bzw|usw|nr|abs|bsp|evtl|ggf|env|jan|feb|mar|apr|jun|jul|aug|sept?|oct|nov|dec)$",
    re.IGNORECASE,
)


def sentences(text: str, start: int = 0, end: int | None = None) -> list[tuple[int, int]]:
    """The sentences of ``text[start:end]``, as ranges of the whole text.

    A sentence ends at a full stop, question or exclamation mark followed by
    white space and something that can begin a sentence, unless the mark belongs
    to an abbreviation or an initial. Ranges carry no white space at their ends
    and leave out nothing else.

    Examples
    --------
    >>> text = "Ask Capt. Moor. The fee is 12.50 a day. Why? Nobody knows."
    >>> [text[a:b] for a, b in sentences(text)]
    ['Ask Capt. Moor.', 'The fee is 12.50 a day.', 'Why?', 'Nobody knows.']
    """
    end = len(text) if end is None else end
    found: list[tuple[int, int]] = []
    begin = start
    for match in _END.finditer(text, start, end):
        opening = _OPENING.match(text, match.end(), end)
        if opening is None and match.group() not in "。！？":
            continue
        if opening is not None:
            first = opening.group(1)
            if first.islower():
                continue
            before = text[max(begin, match.start() - 12) : match.start()]
            if match.group()[0] == "." and _ABBREVIATION.search(before):
                continue
            if before.isdigit() and text[begin : match.start()].strip() == before.strip():
                continue  # the number of a list item
        _add(text, begin, match.end(), found)
        begin = match.end()
    _add(text, begin, end, found)
    return found


def _add(text: str, start: int, end: int, found: list[tuple[int, int]]) -> None:
    while start < end and text[start].isspace():
        start += 1
    while end > start and text[end - 1].isspace():
        end -= 1
    if start < end:
        found.append((start, end))
