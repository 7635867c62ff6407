"""Removing the words of documents and of persons from everything that a desk keeps."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from ..conversation import Conversation
from ..core import Document, Purge, Store
from ..index import Snapshot
from ..platform.storage import FileLock, private_folder, replace_bytes, sealed, unsealed
from ..policy import Redaction
from ..text import Analyser

_ORDERS = "purge.json"  # what was begun: a kill in the middle does not end it
# What killed rebuilds, backups and restores left, what was damaged and moved aside, and the vectors
# of passages that were read before: which of them were of what goes is not known.
_LEFT_BEHIND = (
    "index.*",
    "vectors/reading-*",
    "backup-*",
    "*.damaged",
    "*/*.damaged",
    "../.yonder-*/",
)


@dataclass(slots=True)
class PurgeReport:
    """What a purge did.

    Attributes
    ----------
    documents : list of str
        Whose words are gone.
    person : str
        Whose conversations are gone.
    changed : dict of str to int
        How many records of each store were removed or redacted.
    """

    documents: list[str] = field(default_factory=list)
    person: str = ""
    changed: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PurgeWork:
    """What a purge works on, given by the desk.

    Attributes
    ----------
    state : Path
    stores : sequence of Store
    of_person : callable
        The conversations of a person.
    before : Snapshot or None
        The index with the documents that go still in it, as far as they were.
    rebuild : callable
        Builds the index anew from what it holds, without some documents.
    is_common : callable
        Whether a word is one that everybody knows.
    """

    state: Path
    stores: Sequence[Store]
    of_person: Callable[[Purge], Sequence[Conversation]]
    before: Snapshot | None
    rebuild: Callable[[Collection[str]], None]
    is_common: Callable[[str], bool]


def purge(work: PurgeWork, documents: Collection[str], person: str) -> PurgeReport:
    """Remove the words of documents and of a person; what an earlier purge left undone, too.

    First from what quoted them, then from the index, then once more from what was written
    meanwhile. A second call after a kill goes on: what is to go is written down first, by id.
    """
    with _alone(work.state):
        left = _orders(work.state)
        every = {*documents, *left["documents"]}
        persons = {*left["persons"], *([person] if person else [])}
        _note(work.state, every, persons)
        report = PurgeReport(sorted(every), person)
        redaction = _redaction(work, every)
        for who in persons or {""}:
            _from_stores(work, _order(work, every, redaction, who), report)
        if every:
            work.rebuild(every)
            _remove_left_behind(work.state)
            _from_stores(work, Purge(frozenset(every), redaction), report)
        (work.state / _ORDERS).unlink(missing_ok=True)
    return report


def _remove_left_behind(state: Path) -> None:
    for pattern in _LEFT_BEHIND:
        for path in state.glob(pattern):
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)


def _order(work: PurgeWork, documents: Collection[str], redaction: Redaction, person: str) -> Purge:
    """What one pass removes: of a person, the traces of their conversations, too."""
    order = Purge(frozenset(documents), redaction, person)
    if not person:
        return order
    traces = {
        str(turn.reply.get("trace", ""))
        for conversation in work.of_person(order)
        for turn in conversation.turns
    }
    return Purge(order.documents, redaction, person, frozenset(traces - {""}))


def _from_stores(work: PurgeWork, order: Purge, report: PurgeReport) -> None:
    for store in work.stores:
        changed = store.purge(order)
        report.changed[store.name] = report.changed.get(store.name, 0) + changed


def _redaction(work: PurgeWork, documents: Collection[str]) -> Redaction:
    """What tells the words of documents that go from those that stay."""
    snapshot = work.before
    if not documents or snapshot is None:
        return Redaction(documents, (), ())
    gone = [one for id_ in documents if (one := snapshot.document(id_)) is not None]
    analysers = [Analyser(one) for one in {"en", *(one.language for one in gone)}]
    return Redaction(
        documents,
        [text for one in gone for text in _texts_of(one)],
        _kept_texts(snapshot, documents),
        dead_terms=snapshot.dead_terms(),
        is_common=work.is_common,
        terms=lambda word: (term for one in analysers for term in one.terms(word)),
    )


def _texts_of(document: Document) -> Iterator[str]:
    """All that a document says: its text, title and metadata."""
    yield document.text
    yield document.title
    yield json.dumps(dict(document.metadata), ensure_ascii=False, default=str)


def _kept_texts(snapshot: Snapshot, gone: Collection[str]) -> Iterator[str]:
    for _, document in snapshot.each(sorted(snapshot.live_rows())):
        if document.id not in gone:
            yield from _texts_of(document)
            yield document.id


@contextmanager
def _alone(state: Path) -> Iterator[None]:
    """While one process purges, no other does."""
    private_folder(state)
    lock = FileLock(state / "purge.lock", shared=False)
    lock.take(wait=True)
    try:
        yield
    finally:
        lock.release()


def _orders(state: Path) -> Mapping[str, list[str]]:
    with suppress(OSError, ValueError, KeyError):
        kept = unsealed((state / _ORDERS).read_bytes())
        return {"documents": list(kept["documents"]), "persons": list(kept["persons"])}
    return {"documents": [], "persons": []}


def _note(state: Path, documents: Collection[str], persons: Collection[str]) -> None:
    if documents or persons:
        data = sealed({"documents": sorted(documents), "persons": sorted(persons)})
        replace_bytes(state / _ORDERS, data)
