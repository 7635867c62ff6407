"""Looking inside: sources, documents, passages, metadata, failures."""

from __future__ import annotations

import difflib
import random
import statistics
from collections import Counter
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import numpy as np

from ..core import BlockKind, Caller, CallError, Document, location_of
from ..embedding import on_a_plane
from ..evaluation import Map
from ..index import KnownItem, Snapshot, open_snapshot
from ..ingest.passages import context_header
from ..ingest.preparation import alike
from .desk import Desk

_STEP = 20  # tokens
_STEPS = 16
_EXAMPLES = 4
_MOST_ON_A_MAP = 1500
_NEAR_A_QUESTION = 10


@dataclass(frozen=True, slots=True)
class SourceView:
    """What the index holds of a source.

    ``checked`` is when it was last read to its end, ``newest`` when the newest of
    its files was changed; ``problem`` is why it could not be read last time.
    """

    name: str
    kind: str
    documents: int
    passages: int
    tokens: int
    audience: tuple[str, ...]
    languages: tuple[str, ...]
    newest: str
    checked: str
    problem: str


@dataclass(frozen=True, slots=True)
class DocumentView:
    """A document in a list."""

    id: str
    title: str
    format: str
    language: str
    audience: tuple[str, ...]
    passages: int
    tokens: int
    valid: str


@dataclass(frozen=True, slots=True)
class PassageView:
    """A passage, with what stands over it.

    ``divided`` says that it begins or ends inside a line, a row or a sentence.
    """

    document: str
    start: int
    end: int
    tokens: int
    location: str
    context_header: str
    text: str
    divided: bool


@dataclass(frozen=True, slots=True)
class SizesView:
    """How long the passages of a source are.

    ``counts`` are those of each size of ``_STEP`` tokens, the last of all longer ones.
    """

    source: str
    step: int
    counts: tuple[int, ...]
    least: int
    median: int
    most: int
    divided: int


@dataclass(frozen=True, slots=True)
class TopicView:
    """A topic, how many documents are about it, and some of them."""

    name: str
    documents: int
    examples: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class HeadingView:
    """A heading of a document's outline, where it stands, and how many blocks of each kind
    stand under it.
    """

    level: int
    words: str
    location: str
    blocks: dict[str, int]


# Each shows what the desk's caller may see; the owner sees everything, also what is not valid
# now.


def look_at_sources(desk: Desk) -> list[SourceView]:
    """Every source with its counts, and when the newest of its items was changed."""
    snapshot = desk.snapshot()
    spans = _spans(snapshot, desk.caller)
    rows: dict[str, list[tuple[int, Document]]] = {}
    for row, document in snapshot.each(sorted(spans)):
        rows.setdefault(document.source, []).append((row, document))
    newest = snapshot.newest_items()
    known = snapshot.sources()
    found = []
    for name in sorted(rows.keys() | (known.keys() if desk.caller.is_owner else set())):
        source_rows = rows.get(name, [])
        passages = [span for row, _ in source_rows for span in spans[row]]
        source = known.get(name)
        found.append(
            SourceView(
                name,
                source.kind if source else "",
                len(source_rows),
                len(passages),
                sum(span[2] for span in passages),
                tuple(
                    sorted(
                        {label for _, one in source_rows for label in desk.caller.of(one.audience)}
                    )
                ),
                tuple(sorted({document.language for _, document in source_rows})),
                _day(newest.get(name) or None) if desk.caller.is_owner else "",
                _day(source.checked_ns or None) if source else "",
                source.problem if source and desk.caller.is_owner else "",
            )
        )
    return found


def check_sources(desk: Desk, names: Sequence[str]) -> None:
    """Refuse a source that is not there, or that the caller sees nothing of: alike.

    Raises
    ------
    CallError
    """
    seen = {one.name for one in desk.settings.source if desk.caller.sees(one.audience)}
    if not set(names) <= seen:  # documents that a program holds are not in the settings
        seen |= {one.name for one in look_at_sources(desk)}
    for name in names:
        if name not in seen:
            near = difflib.get_close_matches(name, seen, 1)
            remedy = f"did you mean {near[0]!r}?" if near else f"known: {', '.join(sorted(seen))}"
            raise CallError(f"no source is called {name!r}", "sources", remedy)


def look_at_documents(desk: Desk, source: str = "") -> list[DocumentView]:
    """Every document, or those of one source, by id."""
    snapshot = desk.snapshot()
    spans = _spans(snapshot, desk.caller)
    found = []
    for row, document in snapshot.each(sorted(spans)):
        if source in ("", document.source):
            found.append(
                DocumentView(
                    document.id,
                    document.title,
                    document.format,
                    document.language,
                    tuple(sorted(desk.caller.of(document.audience))),
                    len(spans[row]),
                    sum(span[2] for span in spans[row]),
                    _validity(document),
                )
            )
    if source and not found:
        raise CallError(f"there is no source {source!r}", "--source", "list them: yonder look")
    return sorted(found, key=lambda view: view.id)


def look_at_document(desk: Desk, id_: str) -> tuple[Document, list[PassageView]]:
    """One document and its passages.

    Raises
    ------
    CallError
        There is no such document; names those that are spelled nearly so.
    """
    snapshot = desk.snapshot()
    spans = _spans(snapshot, desk.caller)
    ids = {document.id: (row, document) for row, document in snapshot.each(sorted(spans))}
    if id_ not in ids:
        import difflib

        close = difflib.get_close_matches(id_, ids, n=3, cutoff=0.4)
        remedy = f"did you mean {' or '.join(close)}?" if close else "list: yonder look --documents"
        raise CallError(f"there is no document {id_!r}", remedy=remedy)
    row, document = ids[id_]
    return document, [_passage(document, span) for span in spans[row]]


def look_at_outline(document: Document) -> list[HeadingView]:
    """The headings of a document with what stands under each."""
    under: dict[int, Counter[str]] = {}
    for block in document.blocks:
        if block.kind is not BlockKind.HEADING:
            kind = block.kind.name.lower().replace("_", " ")
            under.setdefault(block.under, Counter())[kind] += 1
    found = []
    if -1 in under:
        found.append(HeadingView(0, "(before any heading)", "", dict(under[-1])))
    for index, block in enumerate(document.blocks):
        if block.kind is BlockKind.HEADING:
            location = location_of(document, block.start, block.end)
            where = str(replace(location, heading=()))
            words = " ".join(document.text[block.start : block.end].strip("# ").split())
            found.append(HeadingView(block.level, words, where, dict(under.get(index, {}))))
    return found


def look_at_duplicates(desk: Desk) -> list[list[str]]:
    """Groups of documents that are identical or nearly so, by id."""
    snapshot = desk.snapshot()
    live = set(snapshot.ids(_spans(snapshot, desk.caller)).values())
    return alike([one for one in snapshot.signatures() if one[0] in live])


def look_at_random(desk: Desk, count: int, generator: random.Random) -> list[PassageView]:
    """Some passages drawn at random, each as likely as any other."""
    snapshot = desk.snapshot()
    drawn = [
        (row, span)
        for row, spans in sorted(_spans(snapshot, desk.caller).items())
        for span in spans
    ]
    chosen = generator.sample(drawn, min(count, len(drawn)))
    documents = snapshot.documents(row for row, _ in chosen)
    return [_passage(documents[row], span) for row, span in chosen]


def look_at_sizes(desk: Desk) -> list[SizesView]:
    """How long the passages of each source are, in tokens."""
    snapshot = desk.snapshot()
    seen = _spans(snapshot, desk.caller)
    ids = snapshot.ids(seen)
    sizes: dict[str, list[int]] = {}
    divided: Counter[str] = Counter()
    for row, spans in seen.items():
        source = ids[row].partition("/")[0]
        sizes.setdefault(source, []).extend(span[2] for span in spans)
        divided[source] += sum(span[4] for span in spans)
    found = []
    for source, tokens in sorted(sizes.items()):
        if tokens:
            counts = Counter(min(size // _STEP, _STEPS - 1) for size in tokens)
            bars = tuple(counts[at] for at in range(_STEPS))
            middle = int(statistics.median(tokens))
            found.append(
                SizesView(source, _STEP, bars, min(tokens), middle, max(tokens), divided[source])
            )
    return found


def look_at_topics(desk: Desk) -> list[TopicView]:
    """What the documents are about, the commonest first."""
    snapshot = desk.snapshot()
    live = set(_spans(snapshot, desk.caller))
    ids = snapshot.ids(live)
    members: dict[str, list[str]] = {}
    for row, topic in snapshot.topic_of_row.items():
        if row in live:
            members.setdefault(topic, []).append(ids[row])
    return [
        TopicView(name, len(titles), tuple(sorted(titles)[:_EXAMPLES]))
        for name, titles in sorted(members.items(), key=lambda pair: (-len(pair[1]), pair[0]))
    ]


def look_at_about(desk: Desk, document: Document) -> tuple[str, list[str]]:
    """The topic of a document, empty if it has none, and its key terms."""
    snapshot = desk.snapshot()
    row = snapshot.document_row(document.id) or 0
    terms = snapshot.key_terms([row])
    return snapshot.topic_of_row.get(row, ""), terms.get(row, [])


def look_at_map(
    desk: Desk,
    question: str = "",
    limit: int | None = None,
) -> Map:
    """The passages in the plane, with their topics and the hits of a question.

    Parameters
    ----------
    desk : Desk
    question : str
        Whose hits are marked; none if it is empty.
    limit : int, optional
        How many hits; ``find.limit`` by default.
    """
    table = desk.vectors()
    hits: list[int] = []
    asked = None
    if question:
        found = desk.search(question, limit=limit)
        keys = {key: at for at, key in enumerate(table.keys)}
        for hit in found.hits:
            start, end = hit.joined[0] if hit.joined else (hit.start, hit.end)
            hits.append(keys[f"{hit.document}#{start}-{end}"])
        embedding = desk.snapshot().embedding
        if embedding is not None:
            query_terms = {term: 1.0 for terms in found.words.values() for term in terms}
            asked = embedding.question(question, query_terms)
    count = len(table.keys)
    chosen = np.arange(count)
    if count > _MOST_ON_A_MAP:  # evenly spread, with all the hits
        chosen = np.unique(
            np.concatenate([np.linspace(0, count - 1, _MOST_ON_A_MAP).astype(np.int64), hits])
        ).astype(np.int64)
    points = on_a_plane(table.vectors[chosen])
    point = None
    if asked is not None and asked.any():  # in the middle of the passages nearest to it
        cosines = np.maximum(table.vectors[chosen] @ asked, 0)
        near = np.argsort(-cosines)[:_NEAR_A_QUESTION]
        weights = cosines[near] ** 2
        if weights.sum() > 0:
            point = weights @ points[near] / weights.sum()
    places = {int(at): number for number, at in enumerate(chosen.tolist())}
    return Map(
        points=points,
        topics=[str(table.passages[at]["topic"]) for at in chosen.tolist()],
        hits=[places[at] for at in hits],
        question=question,
        question_point=point,
        left_out=count - len(chosen),
    )


def look_at_failures(desk: Desk) -> list[KnownItem]:
    """What could not be read when it was last gathered, also where nothing could."""
    with closing(open_snapshot(desk.state / "index")) as snapshot:
        return snapshot.problems()


def look_at_metadata(desk: Desk) -> dict[str, Counter[str]]:
    """The metadata fields that documents have, and how many have each value."""
    snapshot = desk.snapshot()
    found: dict[str, Counter[str]] = {}
    for _, document in snapshot.each(sorted(_spans(snapshot, desk.caller))):
        values: dict[str, Any] = {
            **document.metadata,
            "language": document.language,
            "format": document.format,
            "audience": sorted(desk.caller.of(document.audience)),
        }
        for key, value in values.items():
            for one in value if isinstance(value, list) else [value]:
                found.setdefault(key, Counter())[str(one)] += 1
    return found


Span = tuple[int, int, int, int, int]  # start, end, tokens, first block, whether divided


def _spans(snapshot: Snapshot, caller: Caller) -> dict[int, list[Span]]:
    """The passages of every document that a caller may see, by its row."""
    mask = np.isin(np.arange(snapshot.document_count), snapshot.live_documents())
    if not caller.is_owner or caller.as_of:
        mask = snapshot.visible_documents(caller, caller.at())
    rows = snapshot.rows_of(np.arange(snapshot.document_count))
    found: dict[int, list[Span]] = {int(row): [] for row in rows[mask]}
    columns = snapshot.passages(np.flatnonzero(snapshot.passages_of(mask)))
    values = (columns.start, columns.end, columns.tokens, columns.block, columns.divided)
    for row, *span in zip(
        rows[columns.document].tolist(), *map(np.ndarray.tolist, values), strict=True
    ):
        found[row].append((span[0], span[1], span[2], span[3], span[4]))
    return found


def _passage(document: Document, span: Span) -> PassageView:
    start, end, tokens, block, divided = span
    return PassageView(
        document.id,
        start,
        end,
        tokens,
        str(location_of(document, start, end)),
        context_header(document, block, start),
        document.text[start:end],
        bool(divided),
    )


def _validity(document: Document) -> str:
    if document.valid_until and document.valid_until.year == 1:
        return "superseded"
    parts = [
        f"{word} {moment.date().isoformat()}"
        for word, moment in (("from", document.valid_from), ("until", document.valid_until))
        if moment
    ]
    return " ".join(parts)


def _day(nanoseconds: int | None) -> str:
    if nanoseconds is None:
        return ""
    return datetime.fromtimestamp(nanoseconds / 1e9, UTC).isoformat(sep=" ", timespec="minutes")[
        :16
    ]
