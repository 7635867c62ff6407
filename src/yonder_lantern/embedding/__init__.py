"""Passages and questions → vectors in one space.

In: passages as words or as term counts, whichever a method works on. Out: unit
vectors, one a passage, and for a question one in the same space. This package
knows nothing of segments or scores. Methods are found by entry points of the
group ``yonder_lantern.embeddings``.
"""

from .method import (
    ENTRY_POINT_GROUP,
    NO_PASSAGES,
    Embedding,
    EmbeddingContext,
    EmbeddingMethod,
    LearnedEmbedding,
    PassageSet,
    Span,
    TermEmbedding,
    languages_of,
    least_cosine_of,
    lexical_weight_of,
    load_embedding,
    open_method,
)

__all__ = [
    "ENTRY_POINT_GROUP",
    "NO_PASSAGES",
    "Embedding",
    "EmbeddingContext",
    "EmbeddingMethod",
    "LearnedEmbedding",
    "PassageSet",
    "Span",
    "TermEmbedding",
    "languages_of",
    "least_cosine_of",
    "lexical_weight_of",
    "load_embedding",
    "open_method",
]
