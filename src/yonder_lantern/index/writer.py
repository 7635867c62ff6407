"""Writing a new generation: one writer at a time, published in one step or not at all."""

from __future__ import annotations

import logging
import shutil
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..embedding import LatentEmbedding
from ..records import Document, IndexStateError, Passage
from ..storage import Array, FileLock, byte_order, save_array, sync_folder
from .building import SegmentBuilder
from .manifest import EmbeddingEntry, Manifest, SegmentEntry
from .preparing import Prepared, Preparer
from .reader import OpenSegment, open_segment, vectors_path
from .segment import OPEN_END, OPEN_START, Segment, microseconds
from .store import DocumentStore

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_LOG = logging.getLogger("yonder_lantern.index")
Cut = Callable[[Document], Sequence[Passage]]
_MOST_SEGMENTS = 10
_FOLDERS = ("segments", "vectors", "embeddings", "deletions", "rows", "leases")


class IndexWriter:
    """Holds the write lock of an index folder and makes its next generation.

    What an interrupted writer left behind is undone on opening. Nothing that is
    added or removed can be seen by a reader before `publish` returns.

    Parameters
    ----------
    folder : Path
        Made when missing.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._lock = FileLock(folder / "writer.lock", shared=False)
        if not self._lock.take():
            raise IndexStateError(
                "another gather is writing this index", str(folder), "wait until it has ended"
            )
        try:
            for name in _FOLDERS:
                (folder / name).mkdir(exist_ok=True)
            self.manifest = Manifest.load(folder) or Manifest()
            self.store = DocumentStore(folder, writing=True)
            self.store.recover(self.manifest.generation)
            self._segments = [
                open_segment(folder, self.manifest, number)
                for number in range(len(self.manifest.segments))
            ]
        except BaseException:
            self._lock.release()
            raise
        self._builder = SegmentBuilder([list(labels) for labels in self.manifest.audiences])
        self._preparer = Preparer()
        self._entries = list(self.manifest.segments)
        self._removed: set[int] = set()
        self._moved: dict[int, tuple[int, int, int, int]] = {}  # old row → a segment's new line
        self._added_passages = 0
        self.added_tokens = 0
        self._learn_anew = False
        self._languages = set(self.manifest.languages)
        self.next_generation = self.manifest.generation + 1
        self.store.begin()
        self.store.forget_items_without_documents()

    def __enter__(self) -> IndexWriter:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the lock; what was not published is dropped."""
        self.store.roll_back()
        self.store.close()
        self._lock.release()

    def add(self, prepared: Prepared) -> int:
        """Add a document and its passages; the row it is kept in."""
        row = self.store.add(prepared.document, self.next_generation, prepared.shape)
        self._builder.add(row, prepared)
        self._added_passages += len(prepared.passages)
        self.added_tokens += sum(passage.tokens for passage in prepared.passages)
        self._languages.add(prepared.document.language)
        return row

    def remove(self, row: int) -> None:
        """Take a document out."""
        self.store.remove(row, self.next_generation)
        self._removed.add(row)

    def keep_text(self, row: int, document: Document) -> int:
        """Keep a document's passages and vectors under another id, audience or validity.

        For one whose text, title and language are as they were: it was moved, or
        its details have changed. Gives the row it is kept in from now on.
        """
        new = self.store.add(document, self.next_generation)
        self.store.remove(row, self.next_generation)
        self._moved[row] = (
            new,
            self._builder.audience_number(document.audience),
            microseconds(document.valid_from, OPEN_START),
            microseconds(document.valid_until, OPEN_END),
        )
        return new

    def end_validity(self, row: int, until: int) -> None:
        """Give a document another end of validity, in microseconds since 1970."""
        new = self.store.end_validity(row, until, self.next_generation)
        if self._builder.end_validity(row, until):
            return
        for old, (moved, audience, start, _) in self._moved.items():
            if moved == row:
                self._moved[old] = (new, audience, start, until)
                return
        for opened in self._segments:
            for own, audience, start, _ in opened.segment.documents.tolist():
                if own == row:
                    self._moved[row] = (new, audience, start, until)
                    return

    def learn_anew(self) -> None:
        """Learn the embedding anew: it knows something that fewer people may see now."""
        self._learn_anew = True

    def cut_again(self, cut: Cut) -> None:
        """Put all documents into a new segment, cut anew. No source is read."""
        self._fold(range(len(self._segments)), cut)

    def fold_small_segments(self, cut: Cut) -> None:
        """Put the documents of the smallest segments into the new one, if there are many.

        Every document is folded a number of times that grows with the logarithm of
        how many there are, so that adding stays cheap and finding looks at few segments.
        """
        if len(self._segments) < _MOST_SEGMENTS:
            return
        sizes = [len(_live_rows(opened)) for opened in self._segments]
        smallest = sorted(range(len(sizes)), key=lambda number: (sizes[number], number))
        self._fold(smallest[: _MOST_SEGMENTS - 1], cut)

    def _fold(self, numbers: Iterable[int], cut: Cut) -> None:
        folded = set(numbers)
        rows = [row for number in sorted(folded) for row in _live_rows(self._segments[number])]
        rows = [self._moved[row][0] if row in self._moved else row for row in rows]
        for row, document in self.store.each(row for row in rows if row not in self._removed):
            self._builder.add(row, self._preparer.prepare(document, cut(document)))
        kept = [number for number in range(len(self._segments)) if number not in folded]
        self._segments = [self._segments[number] for number in kept]
        self._entries = [self._entries[number] for number in kept]

    @property
    def changed(self) -> bool:
        """Whether anything was added, removed or moved."""
        return bool(len(self._builder) or self._removed or self._moved)

    def keep_items_only(self) -> None:
        """Make lasting what is known of the items, without a new generation."""
        self.store.commit()

    def changed_passages(self) -> int:
        """How many passages of documents were added and taken away."""
        gone = sum(
            int(
                np.isin(opened.segment.documents[:, 0], list(self._removed))[
                    opened.segment.passages[:, 0]
                ].sum()
            )
            for opened in self._segments
        )
        return self._added_passages + gone

    def fits(self, dimensions: int, learn_from: str) -> bool:
        """Whether something is published and its embedding is as the settings want it."""
        own = self.manifest.embedding
        if not self.manifest.generation:
            return False
        return own is None or (own.wanted_dimensions, own.wanted_from) == (dimensions, learn_from)

    def totals(self) -> tuple[int, int]:
        """How many documents and passages the published generation holds."""
        documents = passages = 0
        for number in range(len(self.manifest.segments)):
            opened = open_segment(self.folder, self.manifest, number)
            live = opened.live
            spans = opened.segment.passages
            documents += len(opened.segment.documents) if live is None else int(live.sum())
            passages += len(spans) if live is None else int(live[spans[:, 0]].sum())
        return documents, passages

    def publish(
        self,
        *,
        recipe: dict[str, Any],
        dimensions: int,
        learn_from: str,
        retrain_at: float,
        seed: int = 1,
    ) -> str:
        """Write everything and put the new generation in place of the old.

        Parameters
        ----------
        recipe : dict
            What passages and terms were made with, to know when it changes.
        dimensions, learn_from, retrain_at, seed
            Of the embedding: its size; the audience whose passages it is learned
            from; the share of passages that may change before it is learned anew.

        Returns
        -------
        str
            What was done about the embedding: ``kept``, ``trained`` or ``none``.
        """
        old = self.manifest
        new = Manifest(
            generation=self.next_generation,
            written=datetime.now(UTC).isoformat(timespec="seconds"),
            recipe=recipe,
            next_segment=old.next_segment,
            audiences=self._builder.audiences,
            languages=sorted(self._languages),
        )
        drift = self.changed_passages()
        written: list[Path] = []
        try:
            segments = self._surviving(new, written)
            if len(self._builder):
                segments.append(self._new_segment(new, written))
            kept = self._kept_embedding(dimensions, learn_from, retrain_at, drift)
            new.embedding = kept or self._train(new, segments, dimensions, learn_from, seed)
            self._write_vectors(new, segments, written)
            for name in ("segments", "vectors", "deletions", "rows", "embeddings"):
                sync_folder(self.folder / name)
            self.store.commit()
        except BaseException as error:
            self.store.roll_back()
            for path in written:
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(True)
            if isinstance(error, OSError):
                raise self._unwritable(error) from error
            raise
        try:
            # From here on nothing is taken back: the manifest may name these files already even
            # where seeing it safely on the disk fails. If it does not, the next writer sweeps.
            new.save(self.folder)
        except OSError as error:
            raise self._unwritable(error) from error
        self.manifest = new
        try:
            self._sweep()
        except (OSError, IndexStateError) as error:  # it is published: what is left can wait
            _LOG.warning("what the index needs no more could not be deleted: %s", error)
        if new.embedding is None:
            return "none"
        return "kept" if kept else "trained"

    def _unwritable(self, error: OSError) -> IndexStateError:
        return IndexStateError(
            f"the index cannot be written: {error.strerror or error}",
            str(self.folder),
            "make room on the disk and gather again; the earlier index still answers",
        )

    def _new_segment(self, new: Manifest, written: list[Path]) -> OpenSegment:
        name = f"{new.next_segment:06d}"
        new.next_segment += 1
        segment = self._builder.build(name)
        target = self.folder / "segments" / name
        shutil.rmtree(target, ignore_errors=True)  # of a writer that was killed
        written.append(target)
        segment.save(target)
        new.segments.append(SegmentEntry(name, len(segment.documents), len(segment.lengths)))
        return OpenSegment(Segment.load(target), None, None)

    def _surviving(self, new: Manifest, written: list[Path]) -> list[OpenSegment]:
        """The segments that still hold a document, with new deletions where there are any."""
        kept: list[OpenSegment] = []
        for entry, opened in zip(self._entries, self._segments, strict=True):
            rows = opened.segment.documents[:, 0]
            gone = np.isin(rows, list(self._removed))
            live = ~gone if opened.live is None else opened.live & ~gone
            if not live.any():
                continue
            deletions = entry.deletions
            if gone.any():
                deletions = f"{entry.name}.{new.generation}.npy"
                path = self.folder / "deletions" / deletions
                written.append(path)
                save_array(path, np.packbits(~live))
            segment, rows_file = self._with_moved_rows(entry, opened.segment, new, written)
            new.segments.append(
                SegmentEntry(entry.name, entry.documents, entry.passages, deletions, rows_file)
            )
            kept.append(OpenSegment(segment, opened.vectors, None if live.all() else live))
        return kept

    def _with_moved_rows(
        self, entry: SegmentEntry, segment: Segment, new: Manifest, written: list[Path]
    ) -> tuple[Segment, str]:
        """A segment whose documents stand in their new rows, and the file that says so."""
        moved = np.isin(segment.documents[:, 0], list(self._moved))
        if not moved.any():
            return segment, entry.rows
        documents = np.array(segment.documents)
        for ordinal in np.flatnonzero(moved).tolist():
            documents[ordinal] = self._moved[int(documents[ordinal, 0])]
        name = f"{entry.name}.{new.generation}.npy"
        path = self.folder / "rows" / name
        written.append(path)
        save_array(path, documents)
        return replace(segment, documents=documents), name

    def _kept_embedding(
        self, dimensions: int, learn_from: str, retrain_at: float, drift: int
    ) -> EmbeddingEntry | None:
        """The embedding there is, if it is as wanted and too little has changed to learn anew."""
        own = self.manifest.embedding
        if own is None or self._learn_anew or not self.fits(dimensions, learn_from):
            return None
        changed = own.changed_since + drift
        return replace(own, changed_since=changed) if changed <= retrain_at * own.passages else None

    def _train(
        self,
        new: Manifest,
        segments: list[OpenSegment],
        dimensions: int,
        learn_from: str,
        seed: int,
    ) -> EmbeddingEntry | None:
        label = self._label(new, segments, learn_from)
        counts, terms = _training_counts(new, segments, label)
        embedding = LatentEmbedding.train(counts, terms, dimensions=dimensions, seed=seed)
        if embedding is None:
            return None
        embedding.save(self.folder / "embeddings")
        return EmbeddingEntry(
            method=embedding.method,
            hash=embedding.hash,
            dimensions=embedding.dimensions,
            wanted_dimensions=dimensions,
            learned_from=label,
            wanted_from=learn_from,
            passages=counts.shape[0],
        )

    def _label(self, new: Manifest, segments: list[OpenSegment], wanted: str) -> str:
        """The label to learn from: the one asked for, else the one most documents carry."""
        totals: dict[str, int] = {}
        for opened in segments:
            live = opened.segment.documents
            live = live if opened.live is None else live[opened.live]
            for number, count in enumerate(np.bincount(live[:, 1], minlength=len(new.audiences))):
                for label in new.audiences[number]:
                    totals[label] = totals.get(label, 0) + int(count)
        if totals.get(wanted):
            return wanted
        return max(sorted(totals), key=lambda label: totals[label], default=wanted)

    def _write_vectors(
        self, new: Manifest, segments: list[OpenSegment], written: list[Path]
    ) -> None:
        """The vectors of every segment that has none under the new embedding."""
        if new.embedding is None:
            return
        embedding = LatentEmbedding.load(self.folder / "embeddings" / new.embedding.hash)
        published = {entry.name for entry in self.manifest.segments}
        for entry, opened in zip(new.segments, segments, strict=True):
            path = vectors_path(self.folder, entry.name, embedding.hash)
            if path.exists() and entry.name in published:
                continue
            vectors = embedding.passages(_counts(opened.segment), opened.segment.terms.all())
            beside = path.with_suffix(".new")
            written.append(beside)
            save_array(beside, vectors)
            beside.rename(path)

    def _sweep(self) -> None:
        """Delete what no generation in use needs any more."""
        for lease in (self.folder / "leases").iterdir():
            if lease.name == str(self.manifest.generation):
                continue
            lock = FileLock(lease, shared=False)
            free = lock.take()
            if free:
                lease.unlink(missing_ok=True)
            lock.release()
            if not free:
                return  # an older generation is still being read: sweep another time
        names = {entry.name for entry in self.manifest.segments}
        embedding = self.manifest.embedding.hash if self.manifest.embedding else ""
        wanted = {
            "segments": names,
            "vectors": {f"{name}.{embedding}.npy" for name in names},
            "deletions": {e.deletions for e in self.manifest.segments},
            "rows": {e.rows for e in self.manifest.segments},
            "embeddings": {embedding},
        }
        for folder, kept in wanted.items():
            for path in (self.folder / folder).iterdir():
                if path.name not in kept:
                    shutil.rmtree(path) if path.is_dir() else path.unlink()
        self.store.sweep(self.manifest.generation)


def _live_rows(opened: OpenSegment) -> list[int]:
    rows = opened.segment.documents[:, 0]
    kept: list[int] = (rows if opened.live is None else rows[opened.live]).tolist()
    return kept


def _counts(segment: Segment) -> csr_matrix:
    from scipy.sparse import csc_matrix

    shape = (len(segment.lengths), len(segment.terms))
    columns = (
        np.asarray(segment.posting_counts, dtype=np.float64),
        np.asarray(segment.posting_passages),
        np.asarray(segment.posting_offsets),
    )
    return csc_matrix(columns, shape=shape).tocsr()


def _training_counts(
    manifest: Manifest, segments: Iterable[OpenSegment], learn_from: str
) -> tuple[csr_matrix, list[str]]:
    """The counts of all passages that may be learned from, over one list of terms."""
    from scipy.sparse import csr_matrix, vstack

    allowed = np.array([learn_from in labels for labels in manifest.audiences], dtype=bool)
    parts: list[tuple[csr_matrix, list[str]]] = []
    for opened in segments:
        documents = opened.segment.documents
        use: Array = allowed[documents[:, 1]]
        if opened.live is not None:
            use = use & opened.live
        rows = np.flatnonzero(use[opened.segment.passages[:, 0]])
        parts.append((_counts(opened.segment)[rows], opened.segment.terms.all()))
    terms = sorted({term for _, own in parts for term in own}, key=byte_order)
    numbers = {term: number for number, term in enumerate(terms)}
    stacked = []
    for counts, own in parts:
        columns = np.array([numbers[term] for term in own], dtype=np.int64)
        indices = columns[counts.indices] if len(own) else counts.indices
        shape = (counts.shape[0], len(terms))
        stacked.append(csr_matrix((counts.data, indices, counts.indptr), shape=shape))
    if not stacked:
        return csr_matrix((0, 0)), []
    return vstack(stacked).tocsr(), terms
