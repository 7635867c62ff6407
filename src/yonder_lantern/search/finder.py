"""Finding: candidates of both stages, ranked, joined and folded into hits."""

from __future__ import annotations

import re
import time
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property

import numpy as np
from msgspec.structs import replace as replace_settings

from ..core import (
    AlsoIn,
    CallError,
    Document,
    Hit,
    Passage,
    ResolvedQuery,
    ScoreBreakdown,
    SearchResult,
    location_of,
)
from ..embedding import languages_of, least_cosine_of, lexical_weight_of
from ..index import Snapshot, microseconds
from ..ingest.passages import context_header
from ..platform.storage import Array
from ..settings import FindSettings, WeightSettings
from ..text import UNKNOWN
from .features import Evidence
from .folding import Folding
from .lexical import LexicalScores
from .parse import BACKGROUND, parse_query
from .phrases import passages_with_phrase
from .rerank import Ranking
from .vector import VectorScores
from .visible_vocabulary import VisibleVocabulary
from .where import documents_where

_MOST_JOINED = 3  # passages
_UNKNOWN = 1.8  # times the least cosine, where no word of the question stands in a document


@dataclass(frozen=True, slots=True)
class _Found:
    """A passage found: where, and in which document."""

    document: Document
    passages: tuple[tuple[int, int], ...]  # the spans it is joined of, the best first
    block: int
    number: int

    @property
    def start(self) -> int:
        return min(start for start, _ in self.passages)

    @property
    def end(self) -> int:
        return max(end for _, end in self.passages)


class Finder:
    """Finds passages in one open generation.

    A passage's score is a weighted sum of what the stages say of it and of its
    document, each divided by the best score of the stage, and of its features.

    Parameters
    ----------
    snapshot : Snapshot
    settings : FindSettings
    """

    def __init__(self, snapshot: Snapshot, settings: FindSettings) -> None:
        self._snapshot = snapshot
        self._settings = settings

    def find(self, asked: ResolvedQuery) -> SearchResult:
        """The passages that fit a question best.

        Parameters
        ----------
        asked : Asked
            Its limit is from 1.

        Raises
        ------
        CallError
            The question is empty, the limit below 1, or the filter makes no sense.
        LimitError
            The question is too long.
        """
        limit = asked.limit_or(self._settings.limit)
        if limit < 1:
            raise CallError(f"a limit of {limit} finds nothing", "limit", "give 1 or more")
        search = Search(self._snapshot, self._settings, asked)
        hits, documents = search.hits(limit) if not asked.declined else ([], {})
        search.clock.lap("read")
        return SearchResult(
            query=asked,
            hits=tuple(hits),
            documents=documents,
            terms={
                term: search.lexical.weights[term] * count
                for term, count in search.parsed.terms.items()
            },
            known=search.lexical.known,
            words=search.parsed.words,
            language=search.parsed.language,
            generation=self._snapshot.generation,
            passages=search.lexical.passages,
            times=search.clock.times,
            read_as=search.parsed.read_as,
            other_forms=search.parsed.other_forms,
            phrases=search.phrases,
        )


def nothing_searched(asked: ResolvedQuery, snapshot: Snapshot) -> SearchResult:
    """What a question finds for which nothing need be searched."""
    return SearchResult(
        query=asked,
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


class Search:
    """One question to one generation, step by step.

    Parameters
    ----------
    snapshot : Snapshot
    settings : FindSettings
    asked : Asked
    """

    def __init__(self, snapshot: Snapshot, settings: FindSettings, asked: ResolvedQuery) -> None:
        self.clock = Clock()
        self.snapshot = snapshot
        self.query = asked
        self._candidates: dict[int, Array] = {}  # by how many each stage brings
        if asked.stage != "both":  # one stage alone is that stage alone
            settings = replace_settings(settings, document_share=0.0, weights=WeightSettings.none())
        self.settings = settings
        self._now = asked.as_of or datetime.now(UTC)
        self.moment = microseconds(self._now, 0)
        self._seen_documents = snapshot.visible_documents(asked.audience, self._now)
        self._seen = snapshot.passages_of(self._seen_documents)
        lexicon = VisibleVocabulary(
            snapshot,
            self._seen,
            asked.audience,
            self.moment,
            settings.glossary,
            spelling=settings.spelling,
        )
        self.parsed = parse_query(
            asked.question,
            snapshot.manifest.languages,
            most=settings.question_characters,
            background=asked.background,
            lexicon=lexicon,
        )
        self.clock.lap("parse_query")
        self._similar_to = self.passage_named(asked.similar_to) if asked.similar_to else None
        fits = self._seen_documents
        if asked.where:
            count = int(snapshot.layout.documents[-1])
            fits = fits & documents_where(asked.where, snapshot.columns, count, fits)
            self.clock.lap("filter")
        self.lexical = LexicalScores(snapshot, self._seen, self.parsed.terms)
        self.clock.lap("lexical")
        self.phrases: dict[str, int] = {}
        self._allowed = self._allow(fits)
        text = self._as_read()
        self.vector = VectorScores(
            snapshot, self._question_vector(text), text, self.parsed.terms, self._least_cosine()
        )
        self.lexical_weight = self._lexical_weight()
        self.clock.lap("embed")

    def _allow(self, fits: Array) -> list[Array] | None:
        """By segment, which passages may be found; None if all may."""
        allowed = self._seen if fits is self._seen_documents else self.snapshot.passages_of(fits)
        for phrase in self.parsed.phrases:
            language = self.parsed.language
            found = passages_with_phrase(phrase, self.snapshot, self.lexical, language)
            self.phrases[phrase] = len(found)
            if len(found):
                mask = np.zeros(len(self.snapshot.layout), dtype=bool)
                mask[found] = True
                segment_mask = np.split(mask, self.snapshot.layout.passages[1:-1])
                allowed = [one & other for one, other in zip(allowed, segment_mask, strict=True)]
        if self._similar_to is not None:
            starts = self.snapshot.layout.passages
            number = int(np.searchsorted(starts, self._similar_to, "right")) - 1
            allowed = [segment_mask.copy() for segment_mask in allowed]
            allowed[number][self._similar_to - int(starts[number])] = False
        return None if all(bool(segment_mask.all()) for segment_mask in allowed) else allowed

    def _as_read(self) -> str:
        """The question, with what its unknown words were read as."""
        text = self.query.question
        for word, meant in self.parsed.read_as.items():
            text = re.sub(rf"\b{re.escape(word)}\b", meant, text)
        return text

    def _question_vector(self, text: str) -> Array | None:
        if self.query.stage == "lexical":
            return None
        entry = self.snapshot.manifest.embedding
        if self._similar_to is not None:
            own_vector = self.snapshot.layout.vectors(np.array([self._similar_to]))
            if own_vector is None or not own_vector.any():
                raise CallError(
                    f"{self.query.similar_to!r} has no vector",
                    "similar_to",
                    "gather with an embedding first",
                )
            return np.asarray(own_vector[0])
        if self.query.vector is not None:
            given = np.asarray(self.query.vector, dtype=np.float32).ravel()
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
        embedding = self.snapshot.embedding
        assert embedding is not None
        found = embedding.question(text, self.parsed.terms)
        if self.query.background and not embedding.reads_terms:
            found = found + BACKGROUND * embedding.question(self.query.background, {})
            found = found / max(float(np.linalg.norm(found)), 1e-12)
        return np.asarray(found, dtype=np.float32)

    def _least_cosine(self) -> float:
        entry = self.snapshot.manifest.embedding
        if entry is None or self.query.similar_to or self.query.vector is not None:
            return 0.0
        least = least_cosine_of(entry.method)
        known = self.lexical.known
        if least and self.parsed.terms and not any(map(known.get, self.parsed.terms)):
            return least * _UNKNOWN  # words that no document has are near to something by chance
        return least

    def _lexical_weight(self) -> float:
        entry = self.snapshot.manifest.embedding
        if self.query.stage != "both":
            return float(self.query.stage == "lexical")
        if entry is None or not self.vector.works:
            return 1.0
        if not self.parsed.terms:
            return 0.0
        set_weight = self.settings.lexical_weight
        if set_weight is not None:
            return set_weight
        spoken = self.parsed.spoken
        if spoken == UNKNOWN:  # it may be in any of the documents' languages
            written = self.snapshot.manifest.languages
            spoken = next(iter(languages_of(entry.method, written) or written), "")
        return lexical_weight_of(entry.method, spoken)

    @cached_property
    def _allowed_everywhere(self) -> Array | None:
        return None if self._allowed is None else np.concatenate(self._allowed)

    def allows(self, passage: int) -> bool:
        """Whether a passage may be found at all."""
        return self._allowed_everywhere is None or bool(self._allowed_everywhere[passage])

    def passage_named(self, name: str) -> int:
        """The number of a passage: ``DOCUMENT``, ``DOCUMENT#OFFSET`` or ``DOCUMENT#START-END``.

        Without an offset, the document's first.

        Raises
        ------
        CallError
            The caller sees no such document, or it has no passages.
        """
        document, _, span = name.partition("#")
        offset = span.partition("-")[0] or "0"
        row = self.snapshot.document_row(document)
        number = -1
        if row is not None:
            number = int(self.snapshot.layout.numbers_of_rows(np.array([row]))[0])
        if number < 0 or not self._seen_documents[number] or not offset.isdecimal():
            raise CallError(
                f"there is no passage {name!r}",
                remedy="name DOCUMENT or DOCUMENT#OFFSET; see `yonder look --documents`",
            )
        passage = self.snapshot.layout.passage_at(number, int(offset))
        if passage is None:
            raise CallError(f"the document {document!r} has no passages", remedy="name another")
        return passage

    def candidates(self, limit: int) -> Array:
        """The passages that either stage brings, ascending."""
        depth = max(self.settings.candidates, 2 * limit)
        known = self._candidates.get(depth)
        if known is not None:
            return known
        found = [np.zeros(0, dtype=np.int64)]
        if self.lexical_weight > 0:
            found.append(self.lexical.best(depth, self._allowed_everywhere))
        if self.lexical_weight < 1:
            found.append(self.vector.best(depth, self._allowed))
        self._candidates[depth] = np.unique(np.concatenate(found))
        self.clock.lap("candidates")
        return self._candidates[depth]

    def ranked(self, limit: int, besides: Sequence[int] = ()) -> Ranking:
        """The candidates with their scores; ``besides`` are passages to rank in any case."""
        candidates = np.union1d(self.candidates(limit), np.array(besides, dtype=np.int64))
        ranking = Ranking(
            candidates,
            self.settings,
            self.lexical_weight,
            self.lexical,
            self.vector,
            Evidence(self.snapshot, self.lexical, self.parsed, self.moment),
            int(np.count_nonzero(self._seen_documents)),
            len(candidates) if besides else limit,
        )
        self.clock.lap("rank")
        return ranking

    def breakdown(self, ranking: Ranking, at: int, *, exact: bool = False) -> ScoreBreakdown:
        """The account of one candidate, with its rank by each stage alone.

        A rank by the vector stage is told where the passage is among its best, or,
        with ``exact``, by a scan of everything.
        """
        passage = int(ranking.passages[at])
        lexical = vector = None
        if self.lexical_weight > 0:
            lexical = self.lexical.rank(passage, self._allowed_everywhere)
        if self.lexical_weight < 1:
            vector = (
                self.vector.exact_rank(passage, self._allowed)
                if exact
                else self.vector.rank(passage)
            )
        return ranking.breakdown(at, lexical, vector)

    def hits(self, limit: int) -> tuple[list[Hit], dict[str, Document]]:
        """The best candidates as hits, and their documents."""
        wanted = limit
        hits, documents = self._hits(limit, wanted)
        while len(hits) < limit and len(self.candidates(wanted)) > wanted:
            wanted *= 4  # some say the same, or touch: look further
            hits, documents = self._hits(limit, wanted)
        return hits, documents

    def _hits(self, limit: int, wanted: int) -> tuple[list[Hit], dict[str, Document]]:
        """At most ``limit`` hits of the best ``wanted`` candidates and some more."""
        ranking = self.ranked(wanted)
        layout = self.snapshot.layout
        order = np.argsort(-ranking.scores, kind="stable")
        order = order[ranking.scores[order] > 0]
        rows = layout.rows[layout.document_of(ranking.passages)]
        spans = layout.spans(ranking.passages)
        gathering = _Gathering(self.settings, limit)
        documents: dict[int, Document] = {}
        ids = self.snapshot.store.ids(rows[order].tolist())
        # Equal scores in the order of the documents, not of how the index came about.
        sequence = sorted(
            order.tolist(),
            key=lambda at: (-ranking.scores[at], ids[int(rows[at])], int(spans[at, 1])),
        )
        for at in sequence:
            if gathering.full:
                break
            row = int(rows[at])
            if row not in documents:
                documents.update(self.snapshot.store.documents([row]))
            _, start, end, _, block = spans[at, :5].tolist()
            gathering.take(documents[row], start, end, block, at)
        hits = [
            self._hit(rank, location, self.breakdown(ranking, location.number), gathering.also)
            for rank, location in enumerate(gathering.positions, 1)
        ]
        return hits, {document.id: document for document in documents.values()}

    def _hit(
        self,
        rank: int,
        location: _Found,
        breakdown: ScoreBreakdown,
        also: Mapping[int, tuple[AlsoIn, ...]],
    ) -> Hit:
        document, start, end = location.document, location.start, location.end
        before, after = self._window(document, start, end)
        return Hit(
            rank=rank,
            document=document.id,
            version=document.version,
            title=document.title,
            language=document.language,
            start=start,
            end=end,
            text=document.text[start:end],
            context_header=context_header(document, location.block, start),
            location=location_of(document, start, end),
            score=breakdown.score,
            breakdown=breakdown,
            also=also[location.number],
            linked=self._linked(document),
            joined=location.passages if len(location.passages) > 1 else (),
            before=before,
            after=after,
        )

    def _window(self, document: Document, start: int, end: int) -> tuple[str, str]:
        """The words of the neighbouring passages, if they are asked for."""
        if not self.settings.neighbours:
            return "", ""
        spans = self._passages_of(document)
        first = next(at for at, span in enumerate(spans) if span.end > start)
        last = max(at for at, span in enumerate(spans) if span.start < end)
        begin = spans[max(0, first - self.settings.neighbours)].start
        stop = spans[min(len(spans) - 1, last + self.settings.neighbours)].end
        return document.text[min(begin, start) : start], document.text[end : max(stop, end)]

    def _passages_of(self, document: Document) -> list[Passage]:
        row = self.snapshot.document_row(document.id)
        number = self.snapshot.layout.numbers_of_rows(np.array([row]))
        first, last = self.snapshot.layout.bounds_of(number)
        spans = self.snapshot.layout.spans(np.arange(int(first[0]), int(last[0])))
        return [Passage(*span[1:5]) for span in spans.tolist()]

    def _linked(self, document: Document) -> tuple[str, ...]:
        """The documents which belong with one, those that the caller may see."""
        named = document.metadata.get("linked") or []
        wanted = [str(one) for one in ([named] if isinstance(named, str) else named)]
        beside = self.snapshot.store.beside(document, wanted, self.snapshot.generation)
        audience = self.query.audience
        return tuple(other.id for other in beside if other.visible_to(audience, self._now))


class _Gathering:
    """Takes candidates, best first, until there are enough hits.

    Passages of one document that touch become one hit; what says the same as an
    earlier one is only named with it; no document gives more than its share.
    """

    def __init__(self, settings: FindSettings, limit: int) -> None:
        self._settings = settings
        self._limit = limit
        self._folding = Folding()
        self._of_document: Counter[str] = Counter()
        self.positions: list[_Found] = []
        self.also: dict[int, tuple[AlsoIn, ...]] = {}

    @property
    def full(self) -> bool:
        """Whether there are as many hits as wanted."""
        return len(self.positions) >= self._limit

    def take(self, document: Document, start: int, end: int, block: int, number: int) -> None:
        """Take the next best passage; ``number`` says which candidate it is."""
        if self._settings.join:
            for at, location in enumerate(self.positions):
                if location.document.id != document.id or len(location.passages) >= _MOST_JOINED:
                    continue
                apart = document.text[location.end : start] + document.text[end : location.start]
                if not apart.strip():
                    joined = (*location.passages, (start, end))
                    first = block if start < location.start else location.block
                    self.positions[at] = replace(location, passages=joined, block=first)
                    return
        same = self._folding.same_as(document.text[start:end])
        if same is not None:
            self.also[self.positions[same].number] += (AlsoIn(document.id, start, end),)
            return
        most = self._settings.per_document
        if most and self._of_document[document.id] >= most:
            self._folding.forget_last()
            return
        self._of_document[document.id] += 1
        self.also[number] = ()
        self.positions.append(_Found(document, ((start, end),), block, number))


class Clock:
    """Notes how long each step took, in milliseconds."""

    def __init__(self) -> None:
        self.times: dict[str, float] = {}
        self._last = time.perf_counter()

    def lap(self, step: str) -> None:
        """Note the time since the step before."""
        now = time.perf_counter()
        self.times[step] = round((now - self._last) * 1000, 3)
        self._last = now
