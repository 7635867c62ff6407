"""A question → hits, each with the full account of its score.

In: a question, who asks it and for when, and an open generation. Out:
`SearchResult`. This package knows nothing of sources, formats or how an answer is
written; it may not show a caller anything drawn from what they may not see.
"""

from .explain import explain
from .finder import Finder, Search, nothing_searched
from .parse import ParsedQuery, analyser_for, parse_query
from .where import documents_where

__all__ = [
    "Finder",
    "ParsedQuery",
    "Search",
    "analyser_for",
    "documents_where",
    "explain",
    "nothing_searched",
    "parse_query",
]
