"""What a step searches for besides its own words: what documents call the thing it asks for."""

from __future__ import annotations

import re

_CALLED = (
    (r"\b(?:wrote|written|authors?)\b", "author written"),
    (r"\b(?:made|built|makes?|builds?|maker)\b", "maker made built"),
    (r"\b(?:created|started|founded|invented|founder)\b", "created started author"),
    (r"\bmaintain(?:s|ed)?\b", "maintained maintainer"),
    (r"\bhow long\b", "length"),
    (r"\bhow (?:deep|shallow)\b", "depth"),
    (r"\bhow (?:high|tall)\b", "height"),
    (r"\bhow wide\b", "width"),
    (r"\bhow (?:heavy|much .*\bweigh)\b", "weight"),
    (r"\b(?:cost|costs|pay|pays)\b", "charge price"),
    (r"\bwhere\b", "place"),
    (r"\b(?:leads?|leader)\b", "leads"),
    (r"\b(?:receives?|gets?|sent)\b", "send"),
    (r"\bfine\b", "penalty"),
    (r"\bhow much .*\b(?:carry|lift)\b", "load"),
    (r"\bhow many\b.*\bcrew\b", "crew"),
)
_PATTERNS = [(re.compile(pattern, re.I), words) for pattern, words in _CALLED]


def words_for(question: str) -> str:
    """Words that documents have for what a step asks, to be searched for as well.

    Examples
    --------
    >>> words_for("Who wrote the guide?"), words_for("When is it open?")
    ('author written', '')
    """
    return " ".join(words for pattern, words in _PATTERNS if pattern.search(question))
