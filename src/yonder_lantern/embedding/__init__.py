"""Passages and questions → vectors in one space.

In: passages as words or as term counts, whichever a method works on. Out: unit
vectors, one a passage, and for a question one in the same space. This package
knows nothing of segments or scores. Methods are found by entry points of the
group ``yonder_lantern.embeddings``.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use
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
from .spherical import centres_of, nearest_centres, unit_rows

if TYPE_CHECKING:
    from .encoder import Encoder
    from .encoder_packages import installed_encoders
    from .fixed import passage_key
    from .long_texts import vectors_of_all
    from .plane import on_a_plane
    from .transformer import Dense, Layer, Scaling, Transformer
    from .vector_cache import VectorCache

__all__ = [
    "ENTRY_POINT_GROUP",
    "NO_PASSAGES",
    "Dense",
    "Embedding",
    "EmbeddingContext",
    "EmbeddingMethod",
    "Encoder",
    "Layer",
    "LearnedEmbedding",
    "PassageSet",
    "Scaling",
    "Span",
    "TermEmbedding",
    "Transformer",
    "VectorCache",
    "centres_of",
    "installed_encoders",
    "languages_of",
    "least_cosine_of",
    "lexical_weight_of",
    "load_embedding",
    "nearest_centres",
    "on_a_plane",
    "open_method",
    "passage_key",
    "unit_rows",
    "vectors_of_all",
]
__getattr__ = on_first_use(
    __name__,
    {
        "encoder": ["Encoder"],
        "long_texts": ["vectors_of_all"],
        "transformer": ["Dense", "Layer", "Scaling", "Transformer"],
        "vector_cache": ["VectorCache"],
        "fixed": ["passage_key"],
        "encoder_packages": ["installed_encoders"],
        "plane": ["on_a_plane"],
    },
)
