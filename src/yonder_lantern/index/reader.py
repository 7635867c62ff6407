"""Opening a generation for reading."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import numpy as np

from ..embedding import LatentEmbedding, TermEmbedding
from ..records import Asked, Document, IndexStateError
from ..storage import Array, FileLock, map_array
from .manifest import MANIFEST, Manifest
from .segment import Segment, microseconds
from .store import DocumentStore

_ATTEMPTS = 20


@dataclass(frozen=True, slots=True)
class OpenSegment:
    """A segment as a generation sees it.

    ``live`` says of each document whether it is there; None means all are.
    """

    segment: Segment
    vectors: Array | None
    live: Array | None


class Snapshot:
    """One generation, open. It stays as it is whatever is gathered meanwhile."""

    def __init__(
        self,
        manifest: Manifest,
        segments: list[OpenSegment],
        store: DocumentStore,
        embedding: TermEmbedding | None,
        lease: FileLock | None,
    ) -> None:
        self.manifest = manifest
        self.segments = segments
        self.store = store
        self.embedding = embedding
        self._lease = lease

    @property
    def generation(self) -> int:
        """The number of the generation."""
        return self.manifest.generation

    def close(self) -> None:
        """Give the generation back, so that it can be swept."""
        self.store.close()
        if self._lease:
            self._lease.release()

    def visible(self, asked: Asked, now: datetime) -> list[Array]:
        """For each segment, which passages a caller may see at a moment.

        Parameters
        ----------
        asked : Asked
            Its audience and date decide; no date means ``now``.

        Returns
        -------
        list of bool array, shape (passages,)
        """
        moment = microseconds(asked.as_of or now, 0)
        allowed = np.array(
            [
                asked.audience is None or bool(asked.audience & set(labels))
                for labels in self.manifest.audiences
            ],
            dtype=bool,
        )
        return [self._visible_in(opened, moment, allowed) for opened in self.segments]

    def _visible_in(self, opened: OpenSegment, moment: int, allowed: Array) -> Array:
        documents = opened.segment.documents
        seen = (documents[:, 2] <= moment) & (moment < documents[:, 3])
        seen &= allowed[documents[:, 1]]
        if opened.live is not None:
            seen &= opened.live
        if seen.all():
            return np.ones(len(opened.segment.lengths), dtype=bool)
        return np.asarray(seen[opened.segment.passages[:, 0]])

    def live_rows(self) -> list[int]:
        """Store rows of all documents of this generation."""
        rows: list[int] = []
        for opened in self.segments:
            own = opened.segment.documents[:, 0]
            rows.extend((own if opened.live is None else own[opened.live]).tolist())
        return rows

    def document(self, id_: str) -> Document | None:
        """A document by id, as this generation has it."""
        found = self.store.versions(id_, self.generation)
        return found[0] if found else None


def open_snapshot(folder: Path) -> Snapshot:
    """Open the newest generation of an index folder.

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
                    return open_snapshot(put_aside(folder))
                time.sleep(0.05)  # a rebuilt index is being put in place
                continue
            raise IndexStateError(
                "nothing has been gathered yet", str(folder), "gather first: yonder gather"
            )
        lease = _lease(folder, manifest.generation)
        current = Manifest.load(folder)
        if current is not None and current.generation == manifest.generation:
            return _open(folder, manifest, lease)
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


def _open(folder: Path, manifest: Manifest, lease: FileLock | None) -> Snapshot:
    segments = [open_segment(folder, manifest, number) for number in range(len(manifest.segments))]
    embedding = None
    if manifest.embedding:
        embedding = LatentEmbedding.load(folder / "embeddings" / manifest.embedding.hash)
    return Snapshot(manifest, segments, DocumentStore(folder, writing=False), embedding, lease)


def open_segment(folder: Path, manifest: Manifest, number: int) -> OpenSegment:
    """Map one segment of a manifest, its vectors and its deletions."""
    entry = manifest.segments[number]
    segment = Segment.load(folder / "segments" / entry.name)
    vectors = None
    if manifest.embedding:
        path = vectors_path(folder, entry.name, manifest.embedding.hash)
        vectors = map_array(path)
    live = None
    if entry.deletions:
        packed = map_array(folder / "deletions" / entry.deletions)
        live = ~np.unpackbits(packed, count=entry.documents).astype(bool)
    if entry.rows:
        segment = replace(segment, documents=map_array(folder / "rows" / entry.rows))
    if (
        len(segment.lengths) != entry.passages
        or len(segment.documents) != entry.documents
        or (vectors is not None and len(vectors) != entry.passages)
    ):
        raise IndexStateError(
            f"segment {entry.name} does not fit its manifest",
            str(folder),
            "build the index again from the sources with: yonder gather --rebuild",
        )
    return OpenSegment(segment, vectors, live)


def vectors_path(folder: Path, segment: str, embedding: str) -> Path:
    """Where a segment's vectors under an embedding are."""
    return folder / "vectors" / f"{segment}.{embedding}.npy"
