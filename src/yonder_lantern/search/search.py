"""A query → hits, in steps: parse, retrieve, fuse, rerank, present."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple, cast

import numpy as np
from msgspec.structs import replace as replace_settings

from ..core import (
    CallError,
    Document,
    FoundSpan,
    Hit,
    Memo,
    ResolvedQuery,
    ScoreBreakdown,
    SearchResult,
)
from ..index import IndexReader
from ..platform.storage import Array, distinct
from ..reading import ReadingModel
from ..settings import FindSettings, WeightSettings
from ..text import UNKNOWN, count_tokens
from .clock import Clock
from .embed_query import least_cosine, query_vector, text_to_embed
from .features import Evidence
from .fuse import LEXICAL, VECTOR
from .lexical import LexicalScores, score_lexically
from .parse import ParsedQuery, parse_query
from .present import Choice, documents_at_once, linked_to, present, words_around
from .reading import ReadingScores
from .rerank import Ranking, rank
from .searchable_passages import documents_to_search, passage_named, passages_to_search
from .vector import VectorScores
from .visible_passages import Visible, visible_in
from .visible_vocabulary import VisibleVocabulary
from .weights import RankingWeights, ranking_weights, shortness_of


@dataclass(frozen=True)
class Search:
    """A query that was parsed and scored by both stages: from here, hits to any depth.

    `begin_search` makes one. What one step has found, the next and a second look use again.

    Attributes
    ----------
    snapshot : IndexReader
    settings : FindSettings
        With the weights of a query for one stage alone set to none.
    query : ResolvedQuery
    clock : Clock
    visible : Visible
    parsed : ParsedQuery
    allowed : bool array or None
        Which passages may be found; None if all may.
    phrases : mapping of str to int
        How many passages hold each phrase in quotation marks.
    lexical : LexicalScores
    vector : VectorScores
    reading : ReadingScores
    weights : RankingWeights
    memo : dict
        What steps have worked out for this question, whatever the weights.
    """

    snapshot: IndexReader
    settings: FindSettings
    query: ResolvedQuery
    clock: Clock
    visible: Visible
    parsed: ParsedQuery
    allowed: Array | None
    phrases: dict[str, int]
    lexical: LexicalScores
    vector: VectorScores
    reading: ReadingScores
    weights: RankingWeights
    memo: Memo = field(default_factory=dict, repr=False)


def begin_search(snapshot: IndexReader, settings: FindSettings, query: ResolvedQuery) -> Search:
    """Parse a query and let both stages score the passages.

    Parameters
    ----------
    snapshot : IndexReader
    settings : FindSettings
    query : ResolvedQuery

    Raises
    ------
    CallError
        The question is empty, or the filter is not valid.
    LimitError
        The question is too long, or the deadline has passed.
    """
    clock = Clock(query.control)
    if query.stage != "both":  # one stage alone is that stage alone
        settings = replace_settings(settings, document_share=0.0, weights=WeightSettings.none())
    visible = visible_in(snapshot, query.caller)
    parsed = parse_query(
        query.question,
        snapshot.languages,
        most=settings.question_characters,
        background=query.background,
        lexicon=VisibleVocabulary(snapshot, visible, settings.glossary, spelling=settings.spelling),
    )
    clock.lap("parse")
    similar_to = passage_named(snapshot, visible, query.similar_to) if query.similar_to else None
    fits = documents_to_search(snapshot, visible, query.where)
    if query.where:
        clock.lap("filter")
    lexical = score_lexically(snapshot, visible.passages, parsed.terms)
    clock.lap("lexical")
    allowed, phrases = passages_to_search(snapshot, visible, fits, parsed, lexical, similar_to)
    text = text_to_embed(query, parsed)
    vector = VectorScores(
        snapshot,
        query_vector(snapshot, query, text, parsed, similar_to),
        text,
        parsed.terms,
        least_cosine(snapshot, query, parsed, lexical),
    )
    shortness = shortness_of(snapshot, visible.documents)
    weights = _weights(snapshot, settings, shortness, query, parsed, has_vector=vector.works)
    clock.lap("embed")
    reads = weights.reading > 0 and not similar_to and query.vector is None
    reads = reads and ReadingModel.reads(parsed.spoken)
    reading = ReadingScores(snapshot, text if reads else "")
    clock.lap("read")
    return Search(
        snapshot,
        settings,
        query,
        clock,
        visible,
        parsed,
        allowed,
        phrases,
        lexical,
        vector,
        reading,
        weights,
    )


def _weights(
    snapshot: IndexReader,
    settings: FindSettings,
    shortness: float,
    query: ResolvedQuery,
    parsed: ParsedQuery,
    *,
    has_vector: bool,
) -> RankingWeights:
    """What each part counts; one stage alone where the query wants or has only that."""
    weights = ranking_weights(snapshot, settings, shortness, parsed.spoken)
    if query.stage != "both":
        return replace(weights, lexical=float(query.stage == "lexical"), reading=0.0)
    if not has_vector:
        return replace(weights, lexical=1.0)
    return weights if parsed.terms else replace(weights, lexical=0.0)


def under(search: Search, settings: FindSettings) -> Search:
    """The same search under other settings, of which only the weights and the rest of the ranking
    differ: what both stages say of the passages is as before.
    """
    weights = _weights(
        search.snapshot,
        settings,
        shortness_of(search.snapshot, search.visible.documents),
        search.query,
        search.parsed,
        has_vector=search.vector.works,
    )
    return replace(search, settings=settings, weights=weights, clock=Clock(search.query.control))


def retrieve(search: Search, limit: int) -> Array:
    """The passages that any stage brings for so many hits, ascending."""
    depth = max(search.settings.candidates, 2 * limit)
    weights = search.weights
    taking_part = weights.lexical > 0, weights.lexical < 1, weights.reading > 0
    key = ("candidates", depth, *taking_part)
    if key in search.memo:
        return cast(Array, search.memo[key])
    found = [np.zeros(0, dtype=np.int64)]
    if search.weights.lexical > 0:
        found.append(search.lexical.best(depth, search.allowed))
    if search.weights.lexical < 1:
        found.append(search.vector.best(depth, search.allowed))
    if search.weights.reading > 0:
        found.append(search.reading.best(depth, search.allowed))
    candidates = search.memo[key] = distinct(np.concatenate(found))
    search.clock.lap("retrieve")
    return candidates


def ranked(search: Search, limit: int, besides: Sequence[int] = ()) -> Ranking:
    """The candidates with their scores; ``besides`` are passages to rank in any case."""
    candidates = distinct(
        np.concatenate((retrieve(search, limit), np.array(besides, dtype=np.int64)))
    )
    most = len(candidates) if besides else limit
    ranking = _rank(search, candidates, search.settings.fusion, search.weights, most)
    search.clock.lap("rank")
    return ranking


def _rank(
    search: Search, candidates: Array, fusion: str, weights: RankingWeights, limit: int
) -> Ranking:
    return rank(
        candidates,
        fusion,
        weights,
        search.lexical,
        search.vector,
        search.reading,
        Evidence(
            search.snapshot, search.lexical, search.parsed, search.visible.moment, search.memo
        ),
        search.visible.count,
        limit,
    )


def breakdown_of(
    search: Search, ranking: Ranking, at: int, *, exact: bool = False
) -> ScoreBreakdown:
    """The score of one candidate, part by part, with its rank by each stage alone.

    A rank by the vector stage is told where the passage is among its best, or,
    with ``exact``, by a scan of everything.
    """
    passage = int(ranking.passages[at])
    lexical = vector = None
    if search.weights.lexical > 0:
        lexical = search.lexical.rank(passage, search.allowed)
    if search.weights.lexical < 1:
        vector = (
            search.vector.exact_rank(passage, search.allowed)
            if exact
            else search.vector.rank(passage)
        )
    return ranking.breakdown(at, {LEXICAL: lexical, VECTOR: vector})


def allows(search: Search, passage: int) -> bool:
    """Whether a passage may be found at all."""
    return search.allowed is None or bool(search.allowed[passage])


class Hits(NamedTuple):
    """Hits, best first, their documents by id, and how well the first one fits."""

    hits: list[Hit]
    documents: dict[str, Document]
    strength: float


class _Chosen(NamedTuple):
    """The best candidates, joined and folded, and what they were chosen from."""

    ranking: Ranking
    choice: Choice
    documents: dict[int, Document]


def hits_of(search: Search, limit: int) -> Hits:
    """The best candidates as hits."""
    ranking, choice, documents = _best(search, limit)
    snapshot = search.snapshot
    shown = {one.document.id: one.document for one in choice.chosen}
    linked = linked_to(snapshot, shown, search.visible)
    hits = [
        present(
            one,
            number,
            breakdown_of(search, ranking, one.number),
            choice.also[one.number],
            linked[one.document.id],
            words_around(snapshot, one, search.settings.neighbours),
        )
        for number, one in enumerate(choice.chosen, 1)
    ]
    by_id = {document.id: document for document in documents.values()}
    best = int(ranking.passages[choice.chosen[0].number]) if choice.chosen else None
    return Hits(hits, by_id, 0.0 if best is None else _strength(search, best))


def _strength(search: Search, passage: int) -> float:
    """A passage's score by the weights that ship for long documents, which support is fitted to."""
    weights = _weights(
        search.snapshot,
        FindSettings(),
        0.0,
        search.query,
        search.parsed,
        has_vector=search.vector.works,
    )
    alone = np.array([passage], dtype=np.int64)
    weights = replace(weights, reading=0.0)
    return float(_rank(search, alone, "scores", weights, 1).scores[0])


def spans_of(search: Search, limit: int) -> list[FoundSpan]:
    """Where the best hits are, and no more of them: many at once, for judging a ranking."""
    if search.query.declined:
        return []
    choice = _best(search, limit).choice
    return [
        FoundSpan(
            one.document.id,
            one.start,
            one.end,
            _tokens(search.memo, one.document, one.start, one.end),
            choice.also[one.number],
        )
        for one in choice.chosen
    ]


def _tokens(memo: Memo, document: Document, start: int, end: int) -> int:
    key = ("tokens", document.id, start, end)
    if key not in memo:
        memo[key] = count_tokens(document.text[start:end])
    return int(memo[key])


def _best(search: Search, limit: int) -> _Chosen:
    """So many of the best candidates, if there are as many."""
    wanted = limit
    found = _chosen(search, limit, wanted)
    while len(found.choice.chosen) < limit and len(retrieve(search, wanted)) > wanted:
        wanted *= 4  # some say the same, or touch: look further
        found = _chosen(search, limit, wanted)
    return found


def _chosen(search: Search, limit: int, wanted: int) -> _Chosen:
    """At most ``limit`` of the best ``wanted`` candidates and some more."""
    ranking = ranked(search, wanted)
    snapshot, settings = search.snapshot, search.settings
    order = np.argsort(-ranking.scores, kind="stable")
    order = order[ranking.scores[order] > 0]
    columns = snapshot.passages(ranking.passages)
    rows = snapshot.rows_of(columns.document)
    # Equal scores in the order of the documents, not of how the index came about.
    ids = snapshot.ids(rows[order[_tied(ranking.scores[order])]].tolist())
    sequence = sorted(
        order.tolist(),
        key=lambda at: (-ranking.scores[at], ids.get(int(rows[at]), ""), int(columns.start[at])),
    )
    choice = Choice(settings, limit, search.memo)
    documents: dict[int, Document] = {}
    known: dict[int, Document] = search.memo.setdefault("documents", {})
    unread = list(dict.fromkeys(int(rows[at]) for at in sequence))
    for at in sequence:
        if choice.full:
            break
        row = int(rows[at])
        if row not in known:
            at_once = [row, *(other for other in unread if other not in known)]
            known.update(snapshot.documents(at_once[: documents_at_once(limit)]))
        documents[row] = known[row]
        start, end, block = (int(one[at]) for one in (columns.start, columns.end, columns.block))
        choice.take(documents[row], start, end, block, at)
    return _Chosen(ranking, choice, documents)


def _tied(scores: Array) -> Array:
    """Which of some descending scores equal the one before or after."""
    if len(scores) < 2:
        return np.zeros(len(scores), dtype=bool)
    same = scores[1:] == scores[:-1]
    return np.concatenate(([False], same)) | np.concatenate((same, [False]))


def find(snapshot: IndexReader, settings: FindSettings, query: ResolvedQuery) -> SearchResult:
    """The passages that fit a query best. See `begin_search` for what is raised."""
    return result_of(begin_search(snapshot, settings, query))


def result_of(search: Search, limit: int | None = None) -> SearchResult:
    """What a search hands on.

    Parameters
    ----------
    search : Search
    limit : int, optional
        How many hits, from 1; as many as the query or the settings say by default.

    Raises
    ------
    CallError
        The limit is below 1.
    """
    query, parsed, lexical = search.query, search.parsed, search.lexical
    limit = query.limit_or(search.settings.limit) if limit is None else limit
    if limit < 1:
        raise CallError(f"a limit of {limit} finds nothing", "limit", "give 1 or more")
    found = Hits([], {}, 0.0) if query.declined else hits_of(search, limit)
    search.clock.lap("present")
    return SearchResult(
        query=query,
        hits=tuple(found.hits),
        documents=found.documents,
        terms={term: lexical.weights[term] * count for term, count in parsed.terms.items()},
        known=lexical.known,
        words=parsed.words,
        language=parsed.language,
        generation=search.snapshot.generation,
        passages=lexical.passages,
        times=search.clock.times,
        read_as=parsed.read_as,
        other_forms=parsed.other_forms,
        phrases=search.phrases,
        strength=found.strength,
        memo=search.memo,
    )


def nothing_searched(query: ResolvedQuery, snapshot: IndexReader) -> SearchResult:
    """What a query finds for which nothing need be searched."""
    return SearchResult(
        query=query,
        hits=(),
        documents={},
        terms={},
        known={},
        words={},
        language=UNKNOWN,
        generation=snapshot.generation,
        passages=0,
        times={},
    )
