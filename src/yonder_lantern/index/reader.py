"""Opening a generation for reading."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core import (
    OPEN_END,
    OPEN_START,
    Caller,
    ClosedError,
    Document,
    IndexStateError,
    NothingGatheredError,
    microseconds,
    visible,
)
from ..embedding import Embedding, EmbeddingContext, load_embedding
from ..platform.storage import REBUILD, Array, FileLock, TermTable
from .columns import MetadataColumns
from .dead_terms import dead_terms
from .layout import Layout, put_aside
from .manifest import MANIFEST, EmbeddingEntry, Manifest
from .open_segment import OpenSegment, document_vectors, open_segment
from .passage_columns import PassageColumns, Postings
from .reader_and_writer import IndexRecords, PassageReading
from .reading_vectors import MARK, ReadingVectors
from .store import DocumentStore, KnownItem, KnownSource, Seen
from .topics import Topics
from .vector_column import VectorColumn

if TYPE_CHECKING:
    from .passage_set import TrainingPassages

_ATTEMPTS = 20
_DOCUMENTS_AT_ONCE = 20_000


class _Agreement:
    """Whether the store says of a document what its segment says: whose it is, and when."""

    def __init__(self, manifest: Manifest, segments: Sequence[OpenSegment]) -> None:
        self._segments = segments
        self._audiences = [frozenset(labels) for labels in manifest.audiences]

    @cached_property
    def _rows(self) -> Array:
        """The segments' lines of documents, by row; needed only once a document is read."""
        documents = [one.segment.documents for one in self._segments]
        rows = np.concatenate(documents) if documents else np.zeros((0, 4), dtype=np.int64)
        return rows[np.argsort(rows[:, 0], kind="stable")]

    def __call__(self, row: int, document: Document) -> bool:
        at = int(np.searchsorted(self._rows[:, 0], row))
        if at == len(self._rows) or self._rows[at, 0] != row:
            return True  # of another generation
        _, audience, start, end = self._rows[at].tolist()
        return (self._audiences[audience], start, end) == (
            document.audience,
            microseconds(document.valid_from, OPEN_START),
            microseconds(document.valid_until, OPEN_END),
        )


class Snapshot:
    """One generation, open. It stays as it is whatever is gathered meanwhile."""

    def __init__(
        self,
        manifest: Manifest,
        segments: list[OpenSegment],
        store: DocumentStore,
        folder: Path,
        context: EmbeddingContext,
        lease: FileLock | None,
    ) -> None:
        self.manifest = manifest
        self.segments = segments
        self.store = store
        self._folder = folder
        self._context = context
        self._lease = lease
        self._guard = threading.Lock()
        self._held = 0
        self._closing = False
        store.agrees = _Agreement(manifest, segments)
        self.open_reading: Callable[[Snapshot], PassageReading | None] = lambda _: None
        self.term_cache: dict[tuple[str, int, int, int], tuple[str, ...]] = {}

    @property
    def records(self) -> IndexRecords:
        """What is known of sources, items and documents."""
        return self.store

    @property
    def written(self) -> str:
        """When it was published, in UTC."""
        return self.manifest.written

    @cached_property
    def layout(self) -> Layout:
        """How passages and documents are numbered through all segments."""
        return Layout(self.segments)

    def _sources_of_rows(self) -> list[tuple[int, str]]:
        """Which source each document is of."""
        ids = self.store.ids(self.layout.rows.tolist())
        return [(row, id_.partition("/")[0]) for row, id_ in ids.items()]

    @cached_property
    def columns(self) -> MetadataColumns:
        """The metadata of the documents, to filter on."""
        made: dict[str, Callable[[], list[tuple[int, Any]]]] = {
            "topic": lambda: list(self.topic_of_row.items()),
            "key_terms": lambda: list(self.store.key_terms(self.layout.rows.tolist()).items()),
        }
        if "source" not in self.store.metadata_names(self.generation):
            made["source"] = self._sources_of_rows
        return MetadataColumns(self.store, self.layout, self.generation, made)

    @cached_property
    def reading(self) -> PassageReading | None:
        """What the reading model says of the passages; opened when it is first asked for."""
        return self.open_reading(self)

    @cached_property
    def topics(self) -> Topics | None:
        """What the documents are about; None where there are too few."""
        entry = self.manifest.topics
        return Topics.load(self._folder / "topics" / entry.name) if entry else None

    @cached_property
    def topic_of_row(self) -> dict[int, str]:
        """The topic of each document that has one, by its row."""
        found: dict[int, str] = {}
        for opened in self.segments if self.topics is not None else ():
            assert self.topics is not None
            count = len(opened.segment.documents)
            names = [
                name
                for at in range(0, count, _DOCUMENTS_AT_ONCE)
                for name in self.topics.of(
                    document_vectors(opened, np.arange(at, min(at + _DOCUMENTS_AT_ONCE, count)))
                )
            ]
            found.update(zip(opened.segment.documents[:, 0].tolist(), names, strict=True))
        return {row: name for row, name in found.items() if name}

    @cached_property
    def embedding(self) -> Embedding | None:
        """What the passages were embedded with; loaded when it is first asked for.

        Raises
        ------
        IndexStateError
            It is not what it was, or not there any more.
        """
        entry = self.manifest.embedding
        if entry is None:
            return None
        found = load_embedding(
            entry.method, self._folder / "embeddings" / entry.hash, self._context
        )
        if found.dimensions != entry.dimensions:
            raise IndexStateError(
                f"the embedding gives {found.dimensions} dimensions; the index's vectors have "
                f"{entry.dimensions}",
                str(self._folder),
                REBUILD,
            )
        return found

    @property
    def generation(self) -> int:
        """The number of the generation."""
        return self.manifest.generation

    @contextmanager
    def held(self) -> Iterator[Snapshot]:
        """Keep the generation open while something reads it.

        Raises
        ------
        ClosedError
            It was closed before.
        """
        with self._guard:
            if self._closing:
                raise ClosedError("this generation of the index was closed", str(self._folder))
            self._held += 1
        try:
            yield self
        finally:
            with self._guard:
                self._held -= 1
                over = self._closing and not self._held
            if over:
                self._let_go()

    def close(self) -> None:
        """Give the generation back, so that it can be swept, once nothing reads it any more."""
        with self._guard:
            over = not self._closing and not self._held
            self._closing = True
        if over:
            self._let_go()

    def _let_go(self) -> None:
        self.store.close()
        if self._lease:
            self._lease.release()

    def visible_documents(self, caller: Caller, moment: int) -> Array:
        """Which documents a caller may see at a moment, as the layout numbers them.

        Parameters
        ----------
        caller : Caller
        moment : int
            In microseconds since 1970.

        Returns
        -------
        bool array, shape (documents,)
        """
        seen = np.array([caller.sees(labels) for labels in self.manifest.audiences], dtype=bool)
        found = []
        for opened in self.segments:
            documents = opened.segment.documents
            mask = visible(seen[documents[:, 1]], documents[:, 2], documents[:, 3], moment)
            found.append(mask if opened.live is None else mask & opened.live)
        return np.concatenate(found) if found else np.zeros(0, dtype=bool)

    @property
    def languages(self) -> Sequence[str]:
        """The languages of the documents."""
        return self.manifest.languages

    @property
    def embedding_entry(self) -> EmbeddingEntry | None:
        """Which embedding the vectors are of; None without vectors."""
        return self.manifest.embedding

    @property
    def segment_count(self) -> int:
        """How many segments it consists of."""
        return len(self.segments)

    @property
    def document_count(self) -> int:
        """How many documents are numbered."""
        return int(self.layout.documents[-1])

    @property
    def passage_count(self) -> int:
        """How many passages are numbered."""
        return len(self.layout)

    @cached_property
    def lengths(self) -> Array:
        """How many terms each passage has."""
        found = [np.asarray(opened.segment.lengths) for opened in self.segments]
        return np.concatenate(found) if found else np.zeros(0, dtype=np.int32)

    def passages_of(self, documents: Array) -> Array:
        """Which passages are of some documents; both are masks of all."""
        return self.layout.passages_of(documents)

    def passages(self, numbers: Array) -> PassageColumns:
        """What is kept of some passages, column by column."""
        return self.layout.columns(numbers)

    def document_of(self, passages: Array) -> Array:
        """The documents of some passages."""
        return self.layout.document_of(passages)

    def bounds_of(self, documents: Array) -> tuple[Array, Array]:
        """The first passage of each of some documents, and the one after its last."""
        return self.layout.bounds_of(documents)

    def lengths_of(self, documents: Array) -> Array:
        """How many terms each of some documents has."""
        return self.layout.lengths_of(documents)

    def passage_at(self, document: int, offset: int) -> int | None:
        """The first passage of a document that ends after an offset, or its last."""
        return self.layout.passage_at(document, offset)

    def valid_from(self, documents: Array) -> Array:
        """When each of some documents became valid, in microseconds since 1970."""
        starts = [np.asarray(opened.segment.documents[:, 2]) for opened in self.segments]
        return np.asarray(np.concatenate(starts)[documents])

    def rows_of(self, documents: Array) -> Array:
        """The rows that documents are kept in."""
        return np.asarray(self.layout.rows[documents])

    def numbers_of_rows(self, rows: Array) -> Array:
        """The documents that are kept in some rows; -1 where there is none."""
        return self.layout.numbers_of_rows(rows)

    def postings(self, term: str) -> Postings | None:
        """Where a term stands; None if nowhere."""
        found = []
        for opened, start in zip(self.segments, self.layout.passages.tolist(), strict=False):
            postings = opened.segment.postings(term)
            if postings is not None:
                passages, counts, headers = map(np.asarray, postings)
                found.append((passages + start, counts, headers))
        if len(found) < 2:
            return Postings(*found[0]) if found else None
        return Postings(*(np.concatenate(part) for part in zip(*found, strict=True)))

    def dead_terms(self) -> set[str]:
        """The terms that only documents have which are gone, and segments still hold."""
        return dead_terms(self.segments)

    def term_tables(self) -> list[TermTable]:
        """The terms, a table a segment."""
        return [opened.segment.terms for opened in self.segments]

    @cached_property
    def _vectors(self) -> VectorColumn:
        return VectorColumn(self.layout, [opened.vectors for opened in self.segments])

    def vectors(self, passages: Array) -> Array | None:
        """The vectors of passages, float32; None where there are none."""
        return self._vectors.rows(passages)

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector; unordered."""
        return self._vectors.nearest(vector, limit, allowed)

    def cosines(self, vector: Array, passages: Array) -> Array:
        """How near passages are to a vector, float64; 0 where they have none."""
        return self._vectors.cosines(vector, passages)

    def count_above(self, vector: Array, cosine: float, allowed: Array | None) -> int:
        """How many of the allowed passages are nearer to a vector than a cosine."""
        return self._vectors.count_above(vector, cosine, allowed)

    def reading_vectors(self, model: str, dimensions: int) -> ReadingVectors:
        """The vectors that a reading model gave the passages."""
        names = [entry.name for entry in self.manifest.segments]
        generation = (self._folder, names, self.segments, self.layout, self.store)
        return ReadingVectors(*generation, model, dimensions)

    def documents(self, rows: Iterable[int]) -> dict[int, Document]:
        """The documents of some rows, by row."""
        return self.store.documents(rows)

    def each(self, rows: Iterable[int]) -> Iterator[tuple[int, Document]]:
        """The documents of many rows, a few at a time."""
        return self.store.each(rows)

    def ids(self, rows: Iterable[int]) -> dict[int, str]:
        """The ids of the documents of some rows."""
        return self.store.ids(rows)

    def texts(self, spans: Iterable[tuple[int, int, int]]) -> list[str]:
        """The words of spans, each a row, a start and an end; nothing else is read."""
        return self.store.texts(spans)

    def beside(self, documents: Sequence[Document]) -> dict[str, list[tuple[int, str]]]:
        """The rows and ids of the documents that belong with each of some, by id."""
        return self.store.beside(documents, self.generation)

    def other_forms(
        self, shorts: Sequence[str], longs: Sequence[str]
    ) -> list[tuple[str, str, Seen]]:
        """The long forms of short ones and the short forms of long ones, and who may see each."""
        return self.store.other_forms(shorts, longs, self.generation)

    def labels(self) -> set[str]:
        """Every label that documents have, or had."""
        return {label for labels in self.manifest.audiences for label in labels}

    def sources(self) -> Mapping[str, KnownSource]:
        """What is known of every source, by name."""
        return self.store.sources()

    def problems(self) -> list[KnownItem]:
        """The items that could not be read last time."""
        return self.store.problems()

    def newest_items(self) -> Mapping[str, int]:
        """When the newest item of each source was changed, in nanoseconds since 1970."""
        return self.store.newest()

    def signatures(self) -> list[tuple[str, int, bytes]]:
        """The id, content number and signature of every document; see `alike`."""
        return self.store.shapes()

    def key_terms(self, rows: Sequence[int]) -> Mapping[int, list[str]]:
        """The key terms of the documents of some rows."""
        return self.store.key_terms(rows)

    def training_passages(self, wanted: str) -> tuple[str, TrainingPassages]:
        """The passages that may be learned from, and the label they are for."""
        from .passage_set import TrainingPassages, label_to_learn_from

        audiences = self.manifest.audiences
        label = label_to_learn_from(audiences, self.segments, wanted)
        return label, TrainingPassages(self.segments, audiences, label, self.store)

    def document_row(self, id_: str) -> int | None:
        """The row of a document by id, if this generation has it."""
        return self.store.row(id_, self.generation)

    def live_documents(self) -> Array:
        """The numbers of the documents that are there, whoever may see them."""
        found = [
            np.ones(len(opened.segment.documents), dtype=bool)
            if opened.live is None
            else np.asarray(opened.live)
            for opened in self.segments
        ]
        return np.flatnonzero(np.concatenate(found)) if found else np.zeros(0, dtype=np.int64)

    def live_rows(self) -> list[int]:
        """Store rows of all documents of this generation."""
        rows: list[int] = []
        for opened in self.segments:
            segment_rows = opened.segment.documents[:, 0]
            rows.extend(
                (segment_rows if opened.live is None else segment_rows[opened.live]).tolist()
            )
        return rows

    def document(self, id_: str) -> Document | None:
        """A document by id, as this generation has it."""
        found = self.store.versions(id_, self.generation)
        return found[0] if found else None


def open_snapshot(folder: Path, context: EmbeddingContext | None = None) -> Snapshot:
    """Open the newest generation of an index folder.

    Parameters
    ----------
    folder : Path
    context : EmbeddingContext, optional
        What its embedding may use; needed for those that lie outside the index.

    Raises
    ------
    IndexStateError
        Nothing has been gathered, or the index is damaged or too new.
    """
    for attempt in range(_ATTEMPTS):
        manifest = Manifest.load(folder)
        if manifest is None:
            if put_aside(folder).exists():
                if attempt == _ATTEMPTS - 1:  # it never came: the old one still answers
                    return open_snapshot(put_aside(folder), context)
                time.sleep(0.05)  # a rebuilt index is being put in place
                continue
            raise NothingGatheredError(
                "nothing has been gathered yet", str(folder), "gather first: yonder gather"
            )
        lease = _lease(folder, manifest.generation)
        current = Manifest.load(folder)
        if current is not None and current.generation == manifest.generation:
            context = context or EmbeddingContext(folder, folder)
            segments = [open_segment(folder, manifest, at) for at in range(len(manifest.segments))]
            store = DocumentStore(folder, writing=False)
            return Snapshot(manifest, segments, store, folder, context, lease)
        if lease:
            lease.release()
    raise IndexStateError("the index keeps changing", str(folder), "try again in a moment")


def manifest_mark(folder: Path) -> tuple[int, ...] | None:
    """Something that changes whenever a generation is published, or more of it was read."""
    try:
        status = (folder / MANIFEST).stat()
    except OSError:
        return None
    try:
        read = (folder / MARK).stat().st_mtime_ns
    except OSError:
        read = 0
    return status.st_mtime_ns, status.st_ino, read


def _lease(folder: Path, generation: int) -> FileLock | None:
    try:
        lease = FileLock(folder / "leases" / str(generation), shared=True)
    except OSError:  # an index this user may only read: nobody sweeps under a plain reader
        return None
    lease.take()
    return lease
