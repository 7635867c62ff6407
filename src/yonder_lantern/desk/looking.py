"""Looking inside: sources, documents, passages, details, failures."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from ..index import Snapshot
from ..index.alike import alike
from ..passages import lead_of
from ..records import BlockKind, CallError, Document, place_of
from .desk import Desk


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
    """A passage, with what stands over it."""

    document: str
    start: int
    end: int
    tokens: int
    place: str
    lead: str
    text: str


@dataclass(frozen=True, slots=True)
class HeadingView:
    """A heading of a document's outline, where it stands, and how many blocks of each kind
    stand under it.
    """

    level: int
    words: str
    place: str
    blocks: dict[str, int]


def look_at_sources(desk: Desk) -> list[SourceView]:
    """Every source with its counts, and when the newest of its items was changed."""
    snapshot = desk.snapshot()
    spans = _spans(snapshot)
    rows: dict[str, list[tuple[int, Document]]] = {}
    for row, document in snapshot.store.each(sorted(spans)):
        rows.setdefault(document.source, []).append((row, document))
    newest = snapshot.store.newest()
    known = snapshot.store.sources()
    found = []
    for name in sorted(rows.keys() | known.keys()):
        own = rows.get(name, [])
        passages = [span for row, _ in own for span in spans[row]]
        source = known.get(name)
        found.append(
            SourceView(
                name,
                source.kind if source else "",
                len(own),
                len(passages),
                sum(tokens for _, _, tokens, _ in passages),
                tuple(sorted({label for _, document in own for label in document.audience})),
                tuple(sorted({document.language for _, document in own})),
                _day(newest.get(name) or None),
                _day(source.checked_ns or None) if source else "",
                source.problem if source else "",
            )
        )
    return found


def look_at_documents(desk: Desk, source: str = "") -> list[DocumentView]:
    """Every document, or those of one source, by id."""
    snapshot = desk.snapshot()
    spans = _spans(snapshot)
    found = []
    for row, document in snapshot.store.each(sorted(spans)):
        if source in ("", document.source):
            found.append(
                DocumentView(
                    document.id,
                    document.title,
                    document.format,
                    document.language,
                    tuple(sorted(document.audience)),
                    len(spans[row]),
                    sum(tokens for _, _, tokens, _ in spans[row]),
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
    spans = _spans(snapshot)
    ids = {document.id: (row, document) for row, document in snapshot.store.each(sorted(spans))}
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
            place = place_of(document, block.start, block.end)
            where = str(replace(place, heading=()))
            words = " ".join(document.text[block.start : block.end].strip("# ").split())
            found.append(HeadingView(block.level, words, where, dict(under.get(index, {}))))
    return found


def look_at_duplicates(desk: Desk) -> list[list[str]]:
    """Groups of documents that are identical or nearly so, by id."""
    snapshot = desk.snapshot()
    live = {document.id for _, document in snapshot.store.each(snapshot.live_rows())}
    return alike([one for one in snapshot.store.shapes() if one[0] in live])


def look_at_random(desk: Desk, count: int, generator: random.Random) -> list[PassageView]:
    """Some passages drawn at random, each as likely as any other."""
    snapshot = desk.snapshot()
    drawn = [(row, span) for row, own in sorted(_spans(snapshot).items()) for span in own]
    chosen = generator.sample(drawn, min(count, len(drawn)))
    documents = snapshot.store.documents(row for row, _ in chosen)
    return [_passage(documents[row], span) for row, span in chosen]


def look_at_details(desk: Desk) -> dict[str, Counter[str]]:
    """The details that documents carry, and how many have each value."""
    snapshot = desk.snapshot()
    found: dict[str, Counter[str]] = {}
    for _, document in snapshot.store.each(sorted(_spans(snapshot))):
        own: dict[str, Any] = {
            **document.details,
            "language": document.language,
            "format": document.format,
            "audience": sorted(document.audience),
        }
        for key, value in own.items():
            for one in value if isinstance(value, list) else [value]:
                found.setdefault(key, Counter())[str(one)] += 1
    return found


Span = tuple[int, int, int, int]  # start, end, tokens, first block


def _spans(snapshot: Snapshot) -> dict[int, list[Span]]:
    """The passages of every live document, by its row."""
    found: dict[int, list[Span]] = {row: [] for row in snapshot.live_rows()}
    for opened in snapshot.segments:
        rows = opened.segment.documents[:, 0].tolist()
        for ordinal, start, end, tokens, block in opened.segment.passages.tolist():
            if opened.live is None or opened.live[ordinal]:
                found[rows[ordinal]].append((start, end, tokens, block))
    return found


def _passage(document: Document, span: Span) -> PassageView:
    start, end, tokens, block = span
    return PassageView(
        document.id,
        start,
        end,
        tokens,
        str(place_of(document, start, end)),
        lead_of(document, block, start),
        document.text[start:end],
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
