"""Writing a new generation: one writer at a time, published in one step or not at all."""

from __future__ import annotations

import logging
import shutil
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any, cast

import numpy as np

from ..core import OPEN_END, OPEN_START, Document, IndexStateError, Passage, microseconds
from ..embedding import (
    Embedding,
    EmbeddingContext,
    EmbeddingMethod,
    LearnedEmbedding,
    load_embedding,
)
from ..ingest.preparation import Prepared, Preparer
from ..platform.storage import FileLock, private_folder, save_array, sync_folder
from ..settings import EmbeddingSettings
from .building import SegmentBuilder
from .manifest import EmbeddingEntry, Manifest, SegmentEntry, TopicsEntry
from .merging import merge_segments
from .open_segment import OpenSegment, document_vectors, open_segment
from .passage_set import SegmentPassages, TrainingPassages, label_to_learn_from
from .passage_vectors import Form, load_vectors, save_vectors, vectors_path
from .segment import Segment
from .store import DocumentStore
from .topics import Topics

_LOG = logging.getLogger("yonder_lantern.index")
Cut = Callable[[Document], Sequence[Passage]]
_MOST_SEGMENTS = 10
_METRIC = "cosine"
_DRIFT = 0.05  # of what an embedding captured when it was learned, the loss that matters
_DRIFT_SAMPLE = 2000
_LEARNED_FROM = 200_000  # passages at most, about: more teach little and take memory
_TOPICS_FROM = 50_000  # documents at most, about
_EMBEDDED_AT_ONCE = 50_000  # passages; a bound on memory
_FOLDERS = ("segments", "vectors", "embeddings", "deletions", "rows", "topics", "leases")


class IndexWriter:
    """Holds the write lock of an index folder and makes its next generation.

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
        self._preparer = Preparer()
        self._entries = list(self.manifest.segments)
        self._removed: set[int] = set()
        self._moved: dict[int, tuple[int, int, int, int]] = {}  # old row → a segment's new line
        self._undo: list[Callable[[], object]] = []
        self._added_passages = 0
        self.added_tokens = 0
        self._learn_anew = False
        self._next_segment = self.manifest.next_segment
        self._merging: _Merging | None = None
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
        its details have changed. Gives the row it is kept in from now on.
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

    def cut_again(self, cut: Cut, failed: Callable[[Document, Exception], None]) -> None:
        """Put all documents into a new segment, cut anew. No source is read.

        Parameters
        ----------
        cut : callable
            Gives a document's passages.
        failed : callable
            Told of a document that cannot be cut any more, which is taken out.
        """
        self._take_merged(use=False)
        rows = [row for opened in self._segments for row in _live_rows(opened)]
        rows = [self._moved[row][0] if row in self._moved else row for row in rows]
        for row, document in self.store.each(row for row in rows if row not in self._removed):
            try:
                with self.whole_or_not():
                    self._builder.add(row, self._preparer.prepare(document, cut(document)))
            except IndexStateError:
                raise
            except Exception as error:
                self.remove(row)
                failed(document, error)
        self._segments = []
        self._entries = []

    def _start_merging(self) -> _Merging:
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
        merging = _Merging(
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
        """Put the merged segment in the place of its parts, once it is there."""
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
        return entry is None or (entry.wanted, entry.dtype, entry.approximate_from) == (
            method.wanted,
            settings.dtype,
            settings.approximate_from,
        )

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
        recipe : dict
            What passages and terms were made with, to know when it changes.
        method : EmbeddingMethod
            What makes the embedding, if the one there is does not do.
        settings : EmbeddingSettings
            Whom it may be learned from, when it is learned anew, and in which form
            vectors are kept.
        around : Surroundings

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
            segments = self._surviving(new, written)
            if len(self._builder):
                segments.append(self._new_segment(new, written))
            kept = self._kept_embedding(method, settings, drift, new, segments, context)
            if kept:
                new.embedding = kept
                path = self.folder / "embeddings" / kept.hash
                embedding: Embedding | None = load_embedding(kept.method, path, context)
            else:
                embedding = self._make(new, segments, method, settings)
            if embedding is not None:
                self._write_vectors(new, segments, embedding, settings, written)
                self._write_topics(new, segments, settings, drift, written, anew=not kept)
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
        name = self._new_name()
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
        self,
        method: EmbeddingMethod,
        settings: EmbeddingSettings,
        drift: int,
        new: Manifest,
        segments: list[OpenSegment],
        context: EmbeddingContext,
    ) -> EmbeddingEntry | None:
        """The embedding there is, if it is as wanted and fits the passages still.

        One that was learned is measured when many passages have changed: whether it
        captures as much of them as of those it was learned from.
        """
        entry = self.manifest.embedding
        if entry is None or not self.fits(method, settings):
            return None
        if not method.learns:
            return replace(entry, recall={})
        if self._learn_anew:
            return None
        changed = entry.changed_since + drift
        if changed <= settings.retrain_at * entry.passages:
            return replace(entry, changed_since=changed, recall={})
        path = self.folder / "embeddings" / entry.hash
        learned = cast(LearnedEmbedding, load_embedding(entry.method, path, context))
        training = TrainingPassages(segments, new.audiences, entry.learned_from, self.store)
        if not hasattr(learned, "captures") or changed > entry.passages:
            return None
        captured = learned.captures(training.sample(_DRIFT_SAMPLE))
        if captured < (1 - _DRIFT) * learned.captured:
            _LOG.info("the embedding captures %.3f, was %.3f", captured, learned.captured)
            return None
        return replace(entry, changed_since=0, passages=len(training), recall={})

    def _make(
        self,
        new: Manifest,
        segments: list[OpenSegment],
        method: EmbeddingMethod,
        settings: EmbeddingSettings,
    ) -> Embedding | None:
        """A new embedding, noted in the manifest; None where there is too little to learn from."""
        label = label_to_learn_from(new.audiences, segments, settings.learn_from)
        passages = TrainingPassages(segments, new.audiences, label, self.store)
        embedding = method.make(passages.sample(_LEARNED_FROM))
        if embedding is None:
            return None
        embedding.save(self.folder / "embeddings")
        new.embedding = EmbeddingEntry(
            method=embedding.method,
            hash=embedding.hash,
            dimensions=embedding.dimensions,
            metric=_METRIC,
            dtype=settings.dtype,
            wanted=method.wanted,
            learned_from=label if method.learns else "",
            wanted_from=settings.learn_from if method.learns else "",
            passages=len(passages),
            approximate_from=settings.approximate_from,
        )
        return embedding

    def _write_vectors(
        self,
        new: Manifest,
        segments: list[OpenSegment],
        embedding: Embedding,
        settings: EmbeddingSettings,
        written: list[Path],
    ) -> None:
        """The vectors of every segment that has none under the new embedding."""
        embedding_entry = cast(EmbeddingEntry, new.embedding)
        known = {entry.name for entry in self.manifest.segments}
        if self._merging and self._merging.merged:
            known.add(self._merging.name)
        for entry, opened in zip(new.segments, segments, strict=True):
            path = vectors_path(self.folder, entry.name, embedding_entry.key)
            if not (path.exists() and entry.name in known):
                shutil.rmtree(path, ignore_errors=True)
                segment = opened.segment
                there = np.ones(len(segment.lengths), dtype=bool)
                if opened.live is not None:
                    there = opened.live[segment.passages[:, 0]]
                vectors = np.zeros((len(there), embedding.dimensions), dtype=np.float32)
                whole = SegmentPassages(segment, self.store, np.flatnonzero(there))
                for numbers, passages in whole.parts(_EMBEDDED_AT_ONCE):
                    vectors[numbers] = embedding.passages(passages)
                written += [path, path.with_name(path.name + ".new")]
                save_vectors(path, vectors, settings.dtype, settings.approximate_from)
            clusters = load_vectors(path).clusters
            if clusters is not None:
                embedding_entry.recall[entry.name] = round(clusters.recall, 4)

    def _write_topics(
        self,
        new: Manifest,
        segments: list[OpenSegment],
        settings: EmbeddingSettings,
        drift: int,
        written: list[Path],
        *,
        anew: bool,
    ) -> None:
        """Learn what the documents are about, unless little has changed since that was done."""
        entry = cast(EmbeddingEntry, new.embedding)
        before = self.manifest.topics
        if before and not anew and not self._learn_anew:
            changed = before.changed_since + drift
            if changed <= settings.retrain_at * before.passages:
                new.topics = replace(before, changed_since=changed)
                return
        opened = [
            OpenSegment(
                one.segment, load_vectors(vectors_path(self.folder, e.name, entry.key)), one.live
            )
            for e, one in zip(new.segments, segments, strict=True)
        ]
        label = label_to_learn_from(new.audiences, segments, settings.learn_from)
        allowed = np.array([label in labels for labels in new.audiences], dtype=bool)
        chosen = []
        for one in opened:
            use = allowed[one.segment.documents[:, 1]]
            chosen.append(np.flatnonzero(use if one.live is None else use & one.live))
        every = max(1, sum(map(len, chosen)) // _TOPICS_FROM)
        vectors, rows = [], []
        for one, documents in zip(opened, chosen, strict=True):
            vectors.append(document_vectors(one, documents[::every]))
            rows += one.segment.documents[documents[::every], 0].tolist()
        topics = None
        if rows:
            terms = self.store.key_terms(rows)
            topics = Topics.learn(np.concatenate(vectors), [terms.get(row, ()) for row in rows])
        if topics is None:
            return
        new.topics = TopicsEntry(
            str(new.generation), sum(len(one.segment.lengths) for one in opened)
        )
        path = self.folder / "topics" / new.topics.name
        shutil.rmtree(path, ignore_errors=True)
        written.append(path)
        topics.save(path)

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
        embedding_entry = self.manifest.embedding
        wanted = {
            "segments": names,
            "vectors": {f"{name}.{embedding_entry.key}" for name in names}
            if embedding_entry
            else set(),
            "deletions": {e.deletions for e in self.manifest.segments},
            "rows": {e.rows for e in self.manifest.segments},
            "embeddings": {embedding_entry.hash} if embedding_entry else set(),
            "topics": {self.manifest.topics.name} if self.manifest.topics else set(),
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


class _Merging(threading.Thread):
    """Merges segments beside the gather; what it makes is used when it is published."""

    def __init__(
        self,
        folder: Path,
        name: str,
        numbers: Sequence[int],
        opened: Sequence[OpenSegment],
        embedding: EmbeddingEntry | None,
    ) -> None:
        super().__init__(name="merging segments", daemon=True)
        self._folder = folder
        self.name = name
        self.numbers = numbers
        self.merged: OpenSegment | None = None
        self._opened = opened
        self._embedding = embedding
        self._vectors = vectors_path(folder, name, embedding.key if embedding else "")

    def run(self) -> None:
        """Merge, and write what comes of it."""
        try:
            segment, vectors = merge_segments(self.name, self._opened)
            target = self._folder / "segments" / self.name
            shutil.rmtree(target, ignore_errors=True)  # of a writer that was killed
            segment.save(target)
            shutil.rmtree(self._vectors, ignore_errors=True)
            entry, found = self._embedding, None
            if vectors is not None and entry is not None:
                save_vectors(
                    self._vectors, vectors, cast(Form, entry.dtype), entry.approximate_from
                )
                found = load_vectors(self._vectors)
            self.merged = OpenSegment(Segment.load(target), found, None)
        except (OSError, MemoryError, IndexStateError) as error:  # the parts are still there
            _LOG.warning("segments could not be merged: %s", error)

    def give_up(self) -> None:
        """Drop what was made, if it is not in use."""
        if not self.numbers:
            return
        self.join()
        shutil.rmtree(self._folder / "segments" / self.name, ignore_errors=True)
        shutil.rmtree(self._vectors, ignore_errors=True)
