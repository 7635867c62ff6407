"""A question → hits, each with the full account of its score.

In: a question, who asks it and for when, and an open generation. Out:
`SearchResult`. This package knows nothing of sources, formats or how an answer is
written; it may not show a caller anything drawn from what they may not see.
"""

from .all_documents import all_documents
from .besides import with_passages
from .explain import explain
from .fuse import READING
from .metadata_filter import documents_where
from .parse import ParsedQuery, analyser_for, parse_query
from .reading import LEAST_COSINE
from .rerank import Ranking
from .search import (
    Search,
    begin_search,
    find,
    nothing_searched,
    ranked,
    result_of,
    retrieve,
    spans_of,
)
from .shared_search import SharedSearch
from .weights import RankingWeights, ranking_weights, shortness_of

__all__ = [
    "LEAST_COSINE",
    "READING",
    "ParsedQuery",
    "Ranking",
    "RankingWeights",
    "Search",
    "SharedSearch",
    "all_documents",
    "analyser_for",
    "begin_search",
    "documents_where",
    "explain",
    "find",
    "nothing_searched",
    "parse_query",
    "ranked",
    "ranking_weights",
    "result_of",
    "retrieve",
    "shortness_of",
    "spans_of",
    "with_passages",
]
