"""Why a passage stands where it does, or is not found at all."""

from __future__ import annotations

import itertools
from typing import cast

import numpy as np

from ..core import Explanation, NearWords, location_of
from ..embedding import TermEmbedding
from ..ingest.passages import context_header
from ..platform.storage import Array
from ..text import words
from .parse import analyser_for
from .search import Search, allows, breakdown_of, hits_of, ranked, retrieve
from .searchable_passages import passage_named

_NEAREST = 6
_COMPARED = 20  # passages of a document, of those that each stage thinks most of
_MOST_WORDS = 120
_LEAST_COSINE = 0.2


def explain(search: Search, name: str, limit: int) -> Explanation:
    """The account of one passage for a question, whether it is found or not.

    Parameters
    ----------
    search : Search
        The question, asked.
    name : str
        The passage: ``DOCUMENT#OFFSET``, or ``DOCUMENT`` for its best one.
    limit : int
        How many hits are wanted: what they score is compared.

    Raises
    ------
    CallError
        The caller sees no such document.
    """
    passage = passage_named(search.snapshot, search.visible, name)
    document = name.partition("#")[0]
    if "#" not in name:
        passage = _best_of_document(search, passage, limit)
    among = passage in retrieve(search, limit)
    ranking = ranked(search, limit, besides=[passage])
    at = int(np.searchsorted(ranking.passages, passage))
    breakdown = breakdown_of(search, ranking, at, exact=True)
    better = int(np.count_nonzero(ranking.scores > ranking.scores[at]))
    shown = hits_of(search, limit).hits
    found = search.snapshot.document(document)
    assert found is not None
    columns = search.snapshot.passages(np.array([passage]))
    start, end, block = (int(one[0]) for one in (columns.start, columns.end, columns.block))
    terms = {
        term
        for text in (found.text[start:end], context_header(found, block, start))
        for term in analyser_for(search.parsed.language).terms(text)
    }
    missing = tuple(
        word
        for word, word_terms in search.parsed.words.items()
        if not terms.intersection(word_terms)
    )
    return Explanation(
        document=document,
        start=start,
        end=end,
        text=found.text[start:end],
        location=location_of(found, start, end),
        allowed=allows(search, passage),
        candidate=among,
        rank=better + 1 if allows(search, passage) else None,
        ranked=len(ranking.passages),
        breakdown=breakdown,
        last_score=shown[-1].score if len(shown) >= limit else 0.0,
        missing=missing,
        nearest=_nearest(search, found.text[start:end]),
    )


def _best_of_document(search: Search, passage: int, limit: int) -> int:
    """The passage that scores best of those of its document that either stage thinks most of."""
    first, end = search.snapshot.bounds_of(search.snapshot.document_of(np.array([passage])))
    own = np.arange(int(first[0]), int(end[0]))
    likely = {passage}
    for scores in (search.lexical.scores[own], search.vector.scores(own)):
        likely.update(own[np.argsort(-scores, kind="stable")[:_COMPARED]].tolist())
    ranking = ranked(search, limit, besides=sorted(likely))
    among = np.flatnonzero(np.isin(ranking.passages, own))
    return int(ranking.passages[among[np.argmax(ranking.scores[among])]])


def _nearest(search: Search, text: str) -> tuple[NearWords, ...]:
    """For the question's words, the words of a text that are nearest to them in meaning."""
    embedding = search.snapshot.embedding
    asked = list(search.parsed.words)
    told = list(dict.fromkeys(word.casefold() for word in words(text)))[:_MOST_WORDS]
    language = search.parsed.language
    told = [word for word in told if analyser_for(language).word_terms(word)]
    if embedding is None or not asked or not told:
        return ()
    if hasattr(embedding, "parts"):
        vectors = _by_terms(cast(TermEmbedding, embedding), [*asked, *told], language)
    elif hasattr(embedding, "texts"):
        vectors = np.asarray(embedding.texts([*asked, *told]))
    else:
        return ()
    cosines = vectors[: len(asked)] @ vectors[len(asked) :].T
    pairs = [
        NearWords(one, other, float(cosines[row, column]))
        for (row, one), (column, other) in itertools.product(enumerate(asked), enumerate(told))
        if cosines[row, column] >= _LEAST_COSINE
    ]
    pairs.sort(key=lambda one: (one.cosine, one.in_passage))
    best = {pair.in_query: pair for pair in pairs}  # of each word, the last: the nearest
    return tuple(sorted(best.values(), key=lambda one: -one.cosine)[:_NEAREST])


def _by_terms(embedding: TermEmbedding, wanted: list[str], language: str) -> Array:
    vectors = np.zeros((len(wanted), embedding.dimensions), dtype=np.float32)
    for at, word in enumerate(wanted):
        terms = dict.fromkeys(analyser_for(language).word_terms(word), 1.0)
        vectors[at] = embedding.question(word, terms)
    return vectors
