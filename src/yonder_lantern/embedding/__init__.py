"""Texts, as their terms, → vectors.

In: how often each passage holds each term. Out: unit vectors, one a passage,
and for a question one vector in the same space. This package knows nothing of
documents, segments or scores.
"""

from .latent import LatentEmbedding
from .protocol import TermEmbedding

__all__ = ["LatentEmbedding", "TermEmbedding"]
