"""Gathering: sources → formats → passages → the next generation of the index."""

from __future__ import annotations

import hashlib
import json
import logging
import shutil
import time
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ..formats import Formats, read_document, suffix_of
from ..index import KnownItem
from ..index.reader import put_aside
from ..index.store import details_of
from ..index.writer import IndexWriter
from ..passages import cut
from ..records import (
    Cancel,
    CancelledError,
    Document,
    FormatError,
    GatherReport,
    Item,
    LanternError,
    LimitError,
    Passage,
    Problem,
    Progress,
    SourceCounts,
)
from ..settings import Settings, SourceSettings
from ..sources import Source, open_source
from ..text import UNKNOWN

_LOG = logging.getLogger("yonder_lantern.desk")
PASSAGES_VERSION = 1  # goes up when passages or terms of an unchanged document would differ
_SETTLED_NS = 2_000_000_000  # a file changed this recently may change again within its time stamp


def gather(
    folder: Path,
    index_folder: Path,
    settings: Settings,
    *,
    dry_run: bool,
    rebuild: bool,
    allow_empty: bool,
    progress: Progress,
    cancel: Cancel,
) -> GatherReport:
    """Bring the index up to date with the sources. See `Desk.gather`."""
    began = time.perf_counter()
    sources = [(own, open_source(own, folder)) for own in settings.source]
    for _, source in sources:
        source.check()
    _bring_back(index_folder)
    target = index_folder
    if rebuild:
        target = index_folder.with_name(index_folder.name + ".rebuilt")
        shutil.rmtree(target, ignore_errors=True)
    with IndexWriter(target) as writer:
        work = _Gathering(writer, settings, progress, cancel)
        for own, source in sources:
            work.source(own, source, allow_empty=allow_empty)
        work.undetermined()
        work.drop_unlisted_sources()
        report = work.outcome() if dry_run else work.publish()
    if rebuild and not dry_run:
        _put_in_place(target, index_folder)
    elif rebuild:
        shutil.rmtree(target, ignore_errors=True)
    report.dry_run = dry_run
    report.seconds = time.perf_counter() - began
    return report


@dataclass(frozen=True, slots=True)
class _Seen:
    """An item as it is now, beside what is known of it and of its document."""

    item: Item
    known: KnownItem | None
    row: int
    version: str
    reading: str

    @property
    def known_good(self) -> bool:
        """Whether it was read without a problem, in the way it would be read now."""
        known = self.known
        return (
            known is not None
            and not known.problem
            and known.row == self.row > 0
            and known.reading == self.reading
        )

    @property
    def untouched(self) -> bool:
        """Whether its time and size say that nothing has changed."""
        known, stamp = self.known, self.item.stamp
        return (
            known is not None
            and self.known_good
            and (known.size, known.modified_ns) == (stamp.size, stamp.modified_ns)
            and known.modified_ns < known.seen_ns - _SETTLED_NS
        )


class _Gathering:
    """One gather under way."""

    def __init__(
        self, writer: IndexWriter, settings: Settings, progress: Progress, cancel: Cancel
    ) -> None:
        self._writer = writer
        self._settings = settings
        self._progress = progress
        self._cancel = cancel
        self._formats = Formats()
        self._live = writer.store.live()
        self._report = GatherReport()
        self._main_language = settings.desk.language
        self._put_off: list[tuple[SourceSettings, _Seen, SourceCounts]] = []

    def source(self, own: SourceSettings, source: Source, *, allow_empty: bool) -> None:
        """Gather one source."""
        began = time.perf_counter()
        counts = self._report.sources[own.name] = SourceCounts()
        here = {id_ for id_, (_, _, name) in self._live.items() if name == own.name}
        items = self._readable(source.items(), counts)
        if not items and not (here and allow_empty):
            self._empty(own, counts, bool(here), len(self._keep(own, here, counts)))
        else:
            self._items(own, items, here, counts)
        counts.seconds = time.perf_counter() - began

    def _readable(self, items: Iterable[Item], counts: SourceCounts) -> list[Item]:
        """The items that a format reads; the others are counted by suffix."""
        readable = []
        for item in items:
            if item.key.endswith("/") or self._formats.for_file(item.key):
                readable.append(item)
            else:
                counts.skipped += 1
                suffix = suffix_of(item.key) or "(no suffix)"
                self._report.skipped[suffix] = self._report.skipped.get(suffix, 0) + 1
        return readable

    def _items(
        self, own: SourceSettings, items: list[Item], here: set[str], counts: SourceCounts
    ) -> None:
        known = self._writer.store.items(own.name)
        reading = self._reading(own)
        for done, item in enumerate(items):
            if self._cancel.is_set():
                raise CancelledError("the gather was interrupted", own.name)
            self._progress(own.name, done, len(items))
            row, version, _ = self._live.get(item.id, (0, "", ""))
            self._item(own, _Seen(item, known.get(item.key), row, version, reading), counts)
        self._progress(own.name, len(items), len(items))
        seen = {item.id for item in items}
        unlisted = tuple(item.id for item in items if item.key.endswith("/"))
        out_of_reach = {id_ for id_ in here - seen if id_.startswith(unlisted)}
        for id_ in sorted(here - seen - out_of_reach):
            self._writer.remove(self._live[id_][0])
            counts.removed += 1
        self._keep(own, out_of_reach, counts)
        for key in known:
            if f"{own.name}/{key}" not in seen:
                self._writer.store.forget(own.name, key)

    def _item(self, own: SourceSettings, seen: _Seen, counts: SourceCounts) -> None:
        if seen.untouched:
            counts.unchanged += 1
            return
        digest = ""
        now = time.time_ns()  # before reading: a change while we read is seen next time
        try:
            data = self._bytes(seen.item)
            digest = hashlib.sha256(data).hexdigest()
            if seen.known_good and seen.known is not None and seen.known.hash == digest:
                counts.unchanged += 1
                row = seen.row
            else:
                document = self._document(own, seen, data)
                if document.language == UNKNOWN and not self._main_language:
                    self._put_off.append((own, seen, counts))
                    return
                row = self._put(seen, document, counts)
        except (LanternError, OSError) as error:
            counts.failed += 1
            kept = self._keep(own, {seen.item.id} & self._live.keys(), counts)
            reason = self._problem(seen, error, kept=bool(kept))
            self._remember(seen, digest, now, seen.row if kept else 0, reason)
        else:
            self._remember(seen, digest, now, row)

    def _bytes(self, item: Item) -> bytes:
        limit = self._settings.gather.max_megabytes
        if item.stamp.size > limit * 1_000_000:
            raise LimitError(
                f"it has {item.stamp.size / 1e6:.1f} MB; the limit is {limit:g} MB",
                remedy="raise gather.max_megabytes, split it, or exclude it",
            )
        return item.read()

    def _keep(self, own: SourceSettings, ids: set[str], counts: SourceCounts) -> set[str]:
        """Keep the earlier versions of some documents; those that were kept.

        One that carries a label its source no longer has was for people who may not
        see it now, and is taken out.
        """
        allowed = frozenset(own.audience)
        rows = {self._live[id_][0]: id_ for id_ in ids}
        kept = set()
        for row, document in self._writer.store.documents(rows).items():
            if document.audience <= allowed:
                kept.add(rows[row])
                continue
            self._writer.learn_anew()
            self._writer.remove(row)
            counts.removed += 1
        return kept

    def undetermined(self) -> None:
        """Take up the documents too short to tell their language: it is that of most others."""
        known = self._writer.store.languages()
        known.pop(UNKNOWN, None)
        self._main_language = max(known, key=lambda name: (known[name], name), default=UNKNOWN)
        for own, seen, counts in self._put_off:
            self._item(own, seen, counts)

    def _document(self, own: SourceSettings, seen: _Seen, data: bytes) -> Document:
        kind = self._formats.for_file(seen.item.key)
        if kind is None:
            raise FormatError("no format reads it", remedy="exclude it")
        try:
            document = read_document(
                seen.item,
                data,
                kind,
                zone=self._settings.desk.zone,
                language=own.language or self._settings.desk.language,
            )
        except LanternError:
            raise
        except Exception as error:  # a fault of the format: the other documents go on
            _LOG.exception("the format %s failed on %s", kind.name, seen.item.id)
            raise FormatError(
                f"the format {kind.name} failed on it: {type(error).__name__}: {error}",
                remedy="exclude it, and report the fault",
            ) from error
        if document.language == UNKNOWN and self._main_language:
            return replace(document, language=self._main_language)
        return document

    def _put(self, seen: _Seen, document: Document, counts: SourceCounts) -> int:
        """Put a document into the index, if it differs from what is there; its row."""
        store = self._writer.store
        same = seen.row and seen.version == document.version
        if same and store.details(seen.row) == details_of(document):
            counts.unchanged += 1
            return seen.row
        if seen.row:
            if not store.audience(seen.row) <= document.audience:
                self._writer.learn_anew()
            self._writer.remove(seen.row)
            counts.changed += 1
        else:
            counts.added += 1
        return self._writer.add(document, self._cut(document))

    def _cut(self, document: Document) -> list[Passage]:
        own = self._settings.passages
        return cut(document, tokens=own.tokens, overlap=own.overlap)

    def _problem(self, seen: _Seen, error: LanternError | OSError, *, kept: bool) -> str:
        if isinstance(error, LanternError):
            reason, remedy = error.what, error.remedy
        else:
            reason = error.strerror or str(error)
            remedy = "give this user leave to read it, or exclude it"
        if seen.row:
            reason += f" (its earlier version is {'kept' if kept else 'taken out, see audience'})"
        self._report.problems.append(Problem(seen.item.id, reason, remedy))
        return reason

    def _remember(self, seen: _Seen, digest: str, now: int, row: int, problem: str = "") -> None:
        item = seen.item
        self._writer.store.remember(
            KnownItem(
                source=item.source,
                key=item.key,
                size=item.stamp.size,
                modified_ns=item.stamp.modified_ns,
                seen_ns=now,
                hash=digest,
                reading=seen.reading,
                problem=problem,
                row=row,
            )
        )

    def _empty(self, own: SourceSettings, counts: SourceCounts, had: bool, kept: int) -> None:
        where = f"{own.name} (folder {own.folder})"
        if had:
            counts.failed += 1
            counts.unchanged += kept
            reason = f"it is empty but was not before; {kept} earlier documents are kept"
            remedy = "if that is meant, gather with --allow-empty"
        elif counts.skipped:
            reason = "it holds no file that a format reads"
            remedy = "see docs/gathering.md for the formats there are"
        else:
            reason = "there is no document in it"
            remedy = "put some in, or mend include and exclude"
        self._report.problems.append(Problem(where, reason, remedy))

    def _reading(self, own: SourceSettings) -> str:
        """What, besides its bytes, a document of this source depends on."""
        parts = [
            self._formats.identity(),
            sorted(own.audience),
            own.language or self._settings.desk.language,
            self._settings.desk.timezone,
        ]
        return hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:16]

    def drop_unlisted_sources(self) -> None:
        """Remove the documents of sources that the settings no longer name."""
        named = {own.name for own in self._settings.source}
        for row, _, name in self._live.values():
            if name not in named:
                self._writer.remove(row)
                self._report.sources.setdefault(name, SourceCounts()).removed += 1

    def outcome(self) -> GatherReport:
        """What publishing would do; ``passages`` are those added and taken away."""
        report = self._report
        report.embedding = "kept"
        report.generation = self._writer.manifest.generation
        report.documents = len(self._live) + report.added - report.removed
        report.passages = self._writer.changed_passages()
        return report

    def publish(self) -> GatherReport:
        """Publish the next generation, if anything changed."""
        writer, report = self._writer, self._report
        recipe = _recipe(self._settings)
        cut_again = bool(writer.manifest.segments) and writer.manifest.recipe != recipe
        own = self._settings.embedding
        changed = report.added or report.changed or report.removed
        if not (changed or cut_again) and writer.fits(own.dimensions, own.learn_from):
            writer.keep_items_only()
            report.embedding = "kept" if writer.manifest.embedding else "none"
        else:
            self._progress("writing the index", 0, None)
            if cut_again:
                writer.cut_again(self._cut)
            else:
                writer.fold_small_segments(self._cut)
            report.embedding = writer.publish(
                recipe=recipe,
                dimensions=own.dimensions,
                learn_from=own.learn_from,
                retrain_at=own.retrain_at,
            )
        report.generation = writer.manifest.generation
        report.documents, report.passages = writer.totals()
        return report


def _recipe(settings: Settings) -> dict[str, Any]:
    own = settings.passages
    return {"tokens": own.tokens, "overlap": own.overlap, "passages": PASSAGES_VERSION}


def _put_in_place(rebuilt: Path, index_folder: Path) -> None:
    old = put_aside(index_folder)
    shutil.rmtree(old, ignore_errors=True)
    if index_folder.exists():
        index_folder.rename(old)
    try:
        rebuilt.rename(index_folder)
    except OSError:
        _bring_back(index_folder)
        raise
    shutil.rmtree(old, ignore_errors=True)


def _bring_back(index_folder: Path) -> None:
    """Undo a rebuild that was cut off after the old index was put aside."""
    old = put_aside(index_folder)
    if old.exists() and not index_folder.exists():
        old.rename(index_folder)
