"""Writing a new generation: one writer at a time, published in one step or not at all."""

from __future__ import annotations

import logging
import shutil
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from ...core import OPEN_END, OPEN_START, Document, IndexStateError, microseconds
from ...embedding import Embedding, EmbeddingContext, EmbeddingMethod, load_embedding
from ...ingest.preparation import Prepared
from ...platform.storage import FileLock, private_folder, sync_folder
from ...settings import EmbeddingSettings
from ..manifest import EmbeddingEntry, Manifest, SegmentEntry
from ..open_segment import OpenSegment, open_segment
from ..reader_and_writer import IndexWriter
from ..segment import Segment
from ..store import DocumentStore
from .background_merge import BackgroundMerge
from .segment_builder import SegmentBuilder
from .surviving_segments import surviving
from .sweep import sweep
from .training_policy import fits, kept_embedding, make_embedding
from .write_segment_vectors import write_vectors
from .write_topics import write_topics

_LOG = logging.getLogger("yonder_lantern.index")
Prepare = Callable[[Document], Prepared]
_MOST_SEGMENTS = 10
_FOLDERS = ("segments", "vectors", "embeddings", "deletions", "rows", "topics", "leases")


def open_writer(folder: Path, *, merging: bool = True) -> AbstractContextManager[IndexWriter]:
    """Take the write lock of an index folder, to make its next generation.

    Parameters
    ----------
    folder : Path
        Made when missing.
    merging : bool
        Whether small segments are merged, beside the gather, when there are many.

    Raises
    ------
    IndexStateError
        Another gather is writing, or the index is damaged.
    """
    return SegmentWriter(folder, merging=merging)


class SegmentWriter:
    """An `IndexWriter`: holds the write lock of an index folder and makes its next generation.

    What an interrupted writer left behind is undone on opening. Nothing that is
    added or removed can be seen by a reader before `publish` returns.

    Parameters
    ----------
    folder : Path
        Made when missing.
    merging : bool
        Whether small segments are merged, beside the gather, when there are many.
    """

    def __init__(self, folder: Path, *, merging: bool = True) -> None:
        self.folder = folder
        self._merges = merging
        private_folder(folder)
        self._lock = FileLock(folder / "writer.lock", shared=False)
        if not self._lock.take():
            raise IndexStateError(
                "another gather is writing this index", str(folder), "wait until it has ended"
            )
        try:
            for name in _FOLDERS:
                private_folder(folder / name)
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
        self._entries = list(self.manifest.segments)
        self._removed: set[int] = set()
        self._moved: dict[int, tuple[int, int, int, int]] = {}  # old row → a segment's new line
        self._undo: list[Callable[[], object]] = []
        self._added_passages = 0
        self.added_tokens = 0
        self._learn_anew = False
        self._next_segment = self.manifest.next_segment
        self._merging: BackgroundMerge | None = None
        self._languages = set(self.manifest.languages)
        self.next_generation = self.manifest.generation + 1
        self.store.begin()
        self.store.forget_items_without_documents()

    def __enter__(self) -> SegmentWriter:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the lock; what was not published is dropped."""
        if self._merging:
            self._merging.give_up()
        try:
            self.store.roll_back()
            self.store.close()
        finally:
            self._lock.release()

    @contextmanager
    def whole_or_not(self) -> Iterator[None]:
        """What fails within leaves nothing of itself behind."""
        size, tokens, passages = self._builder.size, self.added_tokens, self._added_passages
        self.store.mark()
        self._undo = []
        try:
            yield
        except BaseException:
            self.store.go_back()
            self._builder.go_back(size)
            self.added_tokens, self._added_passages = tokens, passages
            for undo in reversed(self._undo):
                undo()
            raise
        else:
            self.store.keep()
        finally:
            self._undo = []

    def add(self, prepared: Prepared) -> int:
        """Add a document and its passages; the row it is kept in."""
        if self._merging is None:
            self._merging = self._start_merging()
        row = self.store.add(
            prepared.document,
            self.next_generation,
            prepared.shape,
            prepared.abbreviations,
            prepared.key_terms,
        )
        self._builder.add(row, prepared)
        self._added_passages += len(prepared.passages)
        self.added_tokens += sum(passage.tokens for passage in prepared.passages)
        self._languages.add(prepared.document.language)
        return row

    def remove(self, row: int) -> None:
        """Take a document out."""
        self.store.remove(row, self.next_generation)
        self._removed.add(row)
        self._undo.append(partial(self._removed.discard, row))

    def keep_text(self, row: int, document: Document) -> int:
        """Keep a document's passages and vectors under another id, audience or validity.

        For one whose text, title and language are as they were: it was moved, or
        its metadata have changed. Gives the row it is kept in from now on.
        """
        new = self.store.add(document, self.next_generation)
        self.store.remove(row, self.next_generation)
        self._undo.append(partial(self._moved.pop, row, None))
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
            for document_row, audience, start, _ in opened.segment.documents.tolist():
                if document_row == row:
                    self._moved[row] = (new, audience, start, until)
                    return

    def learn_anew(self) -> None:
        """Learn the embedding anew: it knows something that fewer people may see now."""
        self._learn_anew = True

    def cut_again(self, prepare: Prepare, failed: Callable[[Document, Exception], None]) -> None:
        """Put all documents into a new segment, cut anew. No source is read.

        Parameters
        ----------
        prepare : callable
            Gives a document cut, with what goes into a segment.
        failed : callable
            Told of a document that cannot be cut any more, which is taken out.
        """
        self._take_merged(use=False)
        rows = [row for opened in self._segments for row in _live_rows(opened)]
        rows = [self._moved[row][0] if row in self._moved else row for row in rows]
        for row, document in self.store.each(row for row in rows if row not in self._removed):
            try:
                with self.whole_or_not():
                    self._builder.add(row, prepare(document))
            except IndexStateError:
                raise
            except Exception as error:
                self.remove(row)
                failed(document, error)
        self._segments = []
        self._entries = []

    def _start_merging(self) -> BackgroundMerge:
        """Begin to merge the smallest segments beside the gather, if there are many.

        A document is merged a number of times that grows with the logarithm of how
        many there are, so that adding stays cheap and finding looks at few segments.
        """
        numbers: list[int] = []
        if self._merges and len(self._segments) >= _MOST_SEGMENTS - 1:
            sizes = [len(_live_rows(opened)) for opened in self._segments]
            smallest = sorted(range(len(sizes)), key=lambda number: (sizes[number], number))
            numbers = sorted(smallest[: _MOST_SEGMENTS - 2])
        entry = self.manifest.embedding
        merging = BackgroundMerge(
            self.folder,
            self._new_name() if numbers else "",
            numbers,
            [self._segments[number] for number in numbers],
            entry,
        )
        if numbers:
            merging.start()
        return merging

    def _take_merged(self, *, use: bool = True) -> None:
        """Put the merged segment in place of its parts, once it is there."""
        merging = self._merging
        if merging is None or not merging.numbers:
            return
        merging.join()
        if not use or merging.merged is None:
            merging.give_up()
            return
        kept = [at for at in range(len(self._segments)) if at not in merging.numbers]
        segment = merging.merged.segment
        self._entries = [self._entries[at] for at in kept]
        self._segments = [self._segments[at] for at in kept]
        self._entries.append(
            SegmentEntry(segment.name, len(segment.documents), len(segment.lengths))
        )
        self._segments.append(merging.merged)

    def _new_name(self) -> str:
        name = f"{self._next_segment:06d}"
        self._next_segment += 1
        return name

    @property
    def records(self) -> DocumentStore:
        """What is known of sources, items and documents, as it will be."""
        return self.store

    @property
    def generation(self) -> int:
        """The number of the published generation; 0 before the first."""
        return self.manifest.generation

    @property
    def languages(self) -> Sequence[str]:
        """The languages of its documents."""
        return self.manifest.languages

    @property
    def embedding_entry(self) -> EmbeddingEntry | None:
        """Which embedding its vectors are of; None without vectors."""
        return self.manifest.embedding

    def was_made_with(self, fingerprint: Mapping[str, Any]) -> bool:
        """Whether what is published was cut and analysed as this fingerprint says."""
        return not self.manifest.segments or self.manifest.fingerprint == fingerprint

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

    def fits(self, method: EmbeddingMethod, settings: EmbeddingSettings) -> bool:
        """Whether something is published and its embedding is as the settings want it."""
        entry = self.manifest.embedding
        if not self.manifest.generation:
            return False
        return entry is None or fits(entry, method, settings)

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
        fingerprint: dict[str, Any],
        method: EmbeddingMethod,
        settings: EmbeddingSettings,
        context: EmbeddingContext,
    ) -> str:
        """Write everything and put the new generation in place of the old.

        Parameters
        ----------
        fingerprint : dict
            What passages and terms were made with, to know when it changes.
        method : EmbeddingMethod
            What makes the embedding, if the one there is does not do.
        settings : EmbeddingSettings
            Whom it may be learned from, when it is learned anew, and in which form
            vectors are kept.
        context : EmbeddingContext

        Returns
        -------
        str
            What was done about the embedding: ``kept``, ``trained`` or ``none``.
        """
        self._take_merged()
        new = Manifest(
            generation=self.next_generation,
            written=datetime.now(UTC).isoformat(timespec="seconds"),
            fingerprint=fingerprint,
            next_segment=self._next_segment,
            audiences=self._builder.audiences,
            languages=sorted(self._languages),
        )
        drift = self.changed_passages()
        written: list[Path] = []
        try:
            segments = surviving(
                self.folder, self._entries, self._segments, self._removed, self._moved, new, written
            )
            if len(self._builder):
                segments.append(self._new_segment(new, written))
            kept = kept_embedding(
                self.folder,
                self.store,
                self.manifest.embedding,
                method,
                settings,
                drift,
                new,
                segments,
                context,
                learn_anew=self._learn_anew,
            )
            if kept:
                new.embedding = kept
                path = self.folder / "embeddings" / kept.hash
                embedding: Embedding | None = load_embedding(kept.method, path, context)
            else:
                embedding = make_embedding(self.folder, self.store, new, segments, method, settings)
            if embedding is not None:
                write_vectors(
                    self.folder,
                    self.store,
                    self._whole_segments(),
                    new,
                    segments,
                    embedding,
                    settings,
                    written,
                )
                write_topics(
                    self.folder,
                    self.store,
                    self.manifest.topics,
                    new,
                    segments,
                    settings,
                    drift,
                    written,
                    anew=not kept or self._learn_anew,
                )
            new.next_segment = self._next_segment
            for name in ("segments", "vectors", "deletions", "rows", "embeddings", "topics"):
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
            self._merging = None  # what was merged is in use now
            # From here on nothing is taken back: the manifest may name these files already even
            # where seeing it safely on the disk fails. If it does not, the next writer sweeps.
            new.save(self.folder)
        except OSError as error:
            raise self._unwritable(error) from error
        self.manifest = new
        try:
            sweep(self.folder, self.manifest, self.store)
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

    def _whole_segments(self) -> set[str]:
        """The segments whose vectors were written whole: those that are published or merged."""
        names = {entry.name for entry in self.manifest.segments}
        if self._merging and self._merging.merged:
            names.add(self._merging.name)
        return names

    def _new_segment(self, new: Manifest, written: list[Path]) -> OpenSegment:
        name = self._new_name()
        segment = self._builder.build(name)
        target = self.folder / "segments" / name
        shutil.rmtree(target, ignore_errors=True)  # of a writer that was killed
        written.append(target)
        segment.save(target)
        new.segments.append(SegmentEntry(name, len(segment.documents), len(segment.lengths)))
        return OpenSegment(Segment.load(target), None, None, self._builder.words())


def _live_rows(opened: OpenSegment) -> list[int]:
    rows = opened.segment.documents[:, 0]
    kept: list[int] = (rows if opened.live is None else rows[opened.live]).tolist()
    return kept
