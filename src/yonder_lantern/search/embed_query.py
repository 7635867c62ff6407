"""The vector of a query, and how near a passage must be."""

from __future__ import annotations

import re

import numpy as np

from ..core import CallError, ResolvedQuery
from ..embedding import least_cosine_of
from ..index import IndexReader
from ..platform.storage import Array
from .lexical import LexicalScores
from .parse import BACKGROUND, ParsedQuery

_UNKNOWN = 1.8  # times the least cosine, where no word of the question stands in a document


def text_to_embed(query: ResolvedQuery, parsed: ParsedQuery) -> str:
    """The question, with what its unknown words were read as."""
    text = query.question
    for word, meant in parsed.read_as.items():
        text = re.sub(rf"\b{re.escape(word)}\b", meant, text)
    return text


def query_vector(
    snapshot: IndexReader,
    query: ResolvedQuery,
    text: str,
    parsed: ParsedQuery,
    similar_to: int | None,
) -> Array | None:
    """The query's vector: of its text, of a passage, or as given; None without vectors.

    Parameters
    ----------
    snapshot : IndexReader
    query : ResolvedQuery
    text : str
        From `text_to_embed`.
    parsed : ParsedQuery
    similar_to : int or None
        The passage whose vector is used instead.

    Raises
    ------
    CallError
        The vector given does not fit the index, or the passage has none.
    """
    if query.stage == "lexical":
        return None
    entry = snapshot.embedding_entry
    if similar_to is not None:
        of_passage = snapshot.vectors(np.array([similar_to]))
        if of_passage is None or not of_passage.any():
            raise CallError(
                f"{query.similar_to!r} has no vector",
                "similar_to",
                "gather with an embedding first",
            )
        return np.asarray(of_passage[0])
    if query.vector is not None:
        given = np.asarray(query.vector, dtype=np.float32).ravel()
        dimensions = entry.dimensions if entry else 0
        if len(given) != dimensions or not np.isfinite(given).all():
            raise CallError(
                f"the vector has {len(given)} numbers; the index's vectors have {dimensions}",
                "vector",
                "give one made by the index's own embedding",
            )
        return np.asarray(given / max(float(np.linalg.norm(given)), 1e-12), dtype=np.float32)
    if entry is None:
        return None
    embedding = snapshot.embedding
    assert embedding is not None
    found = embedding.question(text, parsed.terms)
    if query.background and not embedding.reads_terms:
        found = found + BACKGROUND * embedding.question(query.background, {})
        found = found / max(float(np.linalg.norm(found)), 1e-12)
    return np.asarray(found, dtype=np.float32)


def least_cosine(
    snapshot: IndexReader, query: ResolvedQuery, parsed: ParsedQuery, lexical: LexicalScores
) -> float:
    """The cosine that a passage must exceed to be found by its vector."""
    entry = snapshot.embedding_entry
    if entry is None or query.similar_to or query.vector is not None:
        return 0.0
    least = least_cosine_of(entry.method)
    if least and parsed.terms and not any(map(lexical.known.get, parsed.terms)):
        return least * _UNKNOWN  # words that no document has are near to something by chance
    return least
