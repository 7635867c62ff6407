"""Opening a generation for reading."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import Any

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
from ..platform.storage import REBUILD, Array, FileLock
from .columns import MetadataColumns
from .layout import Layout
from .manifest import MANIFEST, Manifest
from .open_segment import OpenSegment, document_vectors, open_segment
from .store import DocumentStore
from .topics import Topics

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
        self.kept_terms: dict[tuple[str, int, int, int], tuple[str, ...]] = {}

    @cached_property
    def layout(self) -> Layout:
        """How passages and documents are numbered through all segments."""
        return Layout(self.segments)

    @cached_property
    def columns(self) -> MetadataColumns:
        """The metadata of the documents, to filter on."""
        made: dict[str, Callable[[], list[tuple[int, Any]]]] = {
            "topic": lambda: list(self.topic_of_row.items()),
            "key_terms": lambda: list(self.store.key_terms(self.layout.rows.tolist()).items()),
        }
        return MetadataColumns(self.store, self.layout, self.generation, made)

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

    def passages_of(self, documents: Array) -> list[Array]:
        """For each segment, which passages are of some documents, given as a mask of all."""
        return self.layout.passages_of(documents)

    def document_row(self, id_: str) -> int | None:
        """The row of a document by id, if this generation has it."""
        return self.store.row(id_, self.generation)

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


def put_aside(folder: Path) -> Path:
    """Where an index is for the moment in which a rebuilt one takes its place."""
    return folder.with_name(folder.name + ".old")


def manifest_mark(folder: Path) -> tuple[int, int] | None:
    """Something that changes whenever a new generation is published."""
    try:
        status = (folder / MANIFEST).stat()
    except OSError:
        return None
    return status.st_mtime_ns, status.st_ino


def _lease(folder: Path, generation: int) -> FileLock | None:
    try:
        lease = FileLock(folder / "leases" / str(generation), shared=True)
    except OSError:  # an index this user may only read: nobody sweeps under a plain reader
        return None
    lease.take()
    return lease
