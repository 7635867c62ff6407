"""Gathering: sources → formats → passages → the next generation of the index."""

from __future__ import annotations

import hashlib
import json
import shutil
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..formats import Formats, read_document, suffix_of
from ..index import IndexWriter, KnownItem
from ..index.store import details_of
from ..passages import cut
from ..records import (
    Cancel,
    CancelledError,
    Document,
    GatherReport,
    Item,
    LanternError,
    Passage,
    Problem,
    Progress,
    SourceCounts,
    SourceError,
)
from ..settings import Settings, SourceSettings
from ..sources import Source, open_source

PASSAGES_VERSION = 1  # goes up when passages or terms of an unchanged document would differ
_SETTLED_NS = 2_000_000_000  # a file changed this recently may change again within its time stamp


@dataclass(slots=True)
class _Run:
    """What one gather works with."""

    settings: Settings
    formats: Formats
    writer: IndexWriter
    report: GatherReport
    progress: Progress
    cancel: Cancel
    live: dict[str, tuple[int, str, str]]
    allow_empty: bool
    dry_run: bool

    def cut(self, document: Document) -> list[Passage]:
        own = self.settings.passages
        return cut(document, tokens=own.tokens, overlap=own.overlap)


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
    target = index_folder
    if rebuild:
        target = index_folder.with_name(index_folder.name + ".rebuilt")
        shutil.rmtree(target, ignore_errors=True)
    with IndexWriter(target) as writer:
        run = _Run(
            settings,
            Formats(),
            writer,
            GatherReport(dry_run=dry_run),
            progress,
            cancel,
            writer.store.live(),
            allow_empty,
            dry_run,
        )
        for own, source in sources:
            _gather_source(run, own, source)
        _drop_unlisted_sources(run)
        _publish(run)
    if rebuild and not dry_run:
        _put_in_place(target, index_folder)
    elif rebuild:
        shutil.rmtree(target, ignore_errors=True)
    run.report.seconds = time.perf_counter() - began
    return run.report


def _gather_source(run: _Run, own: SourceSettings, source: Source) -> None:
    began = time.perf_counter()
    counts = run.report.sources[own.name] = SourceCounts()
    known = run.writer.store.items(own.name)
    here = {id_ for id_, (_, _, name) in run.live.items() if name == own.name}
    readable: list[Item] = []
    for item in source.items():
        if item.key.endswith("/") or run.formats.for_file(item.key):
            readable.append(item)
        else:
            counts.skipped += 1
            suffix = suffix_of(item.key) or "(no suffix)"
            run.report.skipped[suffix] = run.report.skipped.get(suffix, 0) + 1
    if not readable:
        _empty_source(run, own, counts, bool(here))
        if here and not run.allow_empty:
            counts.seconds = time.perf_counter() - began
            return
    reading = _reading(run, own)
    seen = set()
    kept_below: list[str] = []
    for done, item in enumerate(readable):
        if run.cancel.is_set():
            raise CancelledError("the gather was interrupted", own.name, "what was there still is")
        run.progress(own.name, done, len(readable))
        seen.add(item.id)
        if item.key.endswith("/"):
            kept_below.append(item.id)
        _gather_item(run, own, item, known.get(item.key), reading, counts)
    run.progress(own.name, len(readable), len(readable))
    for id_ in sorted(here - seen):
        if not any(id_.startswith(prefix) for prefix in kept_below):
            run.writer.remove(run.live[id_][0])
            counts.removed += 1
    for key in known:
        if f"{own.name}/{key}" not in seen:
            run.writer.store.forget(own.name, key)
    counts.seconds = time.perf_counter() - began


def _gather_item(
    run: _Run,
    own: SourceSettings,
    item: Item,
    known: KnownItem | None,
    reading: str,
    counts: SourceCounts,
) -> None:
    row, version, _ = run.live.get(item.id, (0, "", ""))
    if known and not known.problem and known.row and known.row == row and known.reading == reading:
        same_stamp = (known.size, known.modified_ns) == (item.stamp.size, item.stamp.modified_ns)
        if same_stamp and known.modified_ns < known.seen_ns - _SETTLED_NS:
            counts.unchanged += 1
            return
    now = time.time_ns()
    digest = ""
    try:
        limit = run.settings.gather.max_megabytes
        if item.stamp.size > limit * 1_000_000:
            raise LanternError(
                f"it has {item.stamp.size / 1e6:.1f} MB; the limit is {limit:g} MB",
                remedy="raise gather.max_megabytes, split it, or exclude it",
            )
        data = item.read()
        digest = hashlib.sha256(data).hexdigest()
        if known and known.row and known.row == row and known.reading == reading and (
            known.hash == digest and not known.problem
        ):
            counts.unchanged += 1
            _remember(run, item, digest, reading, now, row)
            return
        kind = run.formats.for_file(item.key)
        if kind is None:
            raise LanternError("no format reads it", remedy="exclude it")
        document = read_document(
            item,
            data,
            kind,
            zone=run.settings.desk.zone,
            language=own.language or run.settings.desk.language,
        )
    except (LanternError, OSError) as error:
        _fail(run, item, known, error, digest, reading, now, row, counts)
        return
    if row and version == document.version and run.writer.store.details(row) == details_of(document):
        counts.unchanged += 1
    else:
        if row:
            run.writer.remove(row)
        row = run.writer.add(document, run.cut(document))
        if version:
            counts.changed += 1
        else:
            counts.added += 1
    _remember(run, item, digest, reading, now, row)


def _remember(
    run: _Run, item: Item, digest: str, reading: str, now: int, row: int, problem: str = ""
) -> None:
    stamp = item.stamp
    run.writer.store.remember(
        KnownItem(
            item.source, item.key, stamp.size, stamp.modified_ns, now, digest, reading, problem, row
        )
    )


def _fail(
    run: _Run,
    item: Item,
    known: KnownItem | None,
    error: LanternError | OSError,
    digest: str,
    reading: str,
    now: int,
    row: int,
    counts: SourceCounts,
) -> None:
    counts.failed += 1
    if isinstance(error, LanternError):
        reason, remedy = error.what, error.remedy
    else:
        reason = error.strerror or str(error)
        remedy = "give this user leave to read it, or exclude it"
    if row:
        reason += " (its earlier version is kept)"
    run.report.problems.append(Problem(item.id, reason, remedy))
    _remember(run, item, digest or (known.hash if known else ""), reading, now, row, reason)


def _empty_source(run: _Run, own: SourceSettings, counts: SourceCounts, had: bool) -> None:
    where = f"{own.name} (folder {own.folder})"
    if not had:
        if not counts.skipped:
            run.report.problems.append(
                Problem(where, "there is no document in it", "put some in, or mend include/exclude")
            )
        return
    if run.allow_empty:
        return
    counts.failed += 1
    counts.unchanged += sum(name == own.name for _, _, name in run.live.values())
    run.report.problems.append(
        Problem(
            where,
            "the source is empty but was not before; its earlier documents are kept",
            "if that is meant, gather with --allow-empty",
        )
    )


def _drop_unlisted_sources(run: _Run) -> None:
    """Remove the documents of sources that the settings no longer name."""
    named = {own.name for own in run.settings.source}
    for row, _, name in run.live.values():
        if name not in named:
            run.writer.remove(row)
            run.report.sources.setdefault(name, SourceCounts()).removed += 1


def _reading(run: _Run, own: SourceSettings) -> str:
    """What, besides its bytes, a document of this source depends on."""
    parts = [
        run.formats.identity(),
        sorted(own.audience),
        own.language or run.settings.desk.language,
        run.settings.desk.timezone,
    ]
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:16]


def _recipe(settings: Settings) -> dict[str, Any]:
    own = settings.passages
    return {"tokens": own.tokens, "overlap": own.overlap, "passages": PASSAGES_VERSION}


def _publish(run: _Run) -> None:
    writer, settings, report = run.writer, run.settings, run.report
    recipe = _recipe(settings)
    manifest = writer.manifest
    again = bool(manifest.segments) and manifest.recipe != recipe
    embedding_differs = manifest.embedding is not None and (
        manifest.embedding.learned_from.split("/")[-1] != str(settings.embedding.dimensions)
    )
    changed = report.added or report.changed or report.removed
    if run.dry_run:
        report.embedding = "kept"
        report.generation = manifest.generation
        report.documents = len(run.live) + report.added - report.removed
        report.passages = writer.changed_passages()
        return
    if not changed and not again and not embedding_differs and manifest.generation:
        writer.keep_items_only()
        report.embedding = "kept" if manifest.embedding else "none"
    else:
        run.progress("writing the index", 0, None)
        if again:
            writer.cut_again(run.cut)
        report.embedding = writer.publish(
            recipe=recipe,
            dimensions=settings.embedding.dimensions,
            learn_from=settings.embedding.learn_from,
            retrain_at=settings.embedding.retrain_at,
        )
    report.generation = writer.manifest.generation
    report.documents = len(writer.store.live())
    report.passages = _live_passages(writer)


def _live_passages(writer: IndexWriter) -> int:
    from ..index.reader import open_segment

    total = 0
    for number in range(len(writer.manifest.segments)):
        opened = open_segment(writer.folder, writer.manifest, number)
        live = opened.live
        spans = opened.segment.passages
        total += len(spans) if live is None else int(live[spans[:, 0]].sum())
    return total


def _put_in_place(rebuilt: Path, index_folder: Path) -> None:
    old = index_folder.with_name(index_folder.name + ".old")
    shutil.rmtree(old, ignore_errors=True)
    if index_folder.exists():
        index_folder.rename(old)
    rebuilt.rename(index_folder)
    shutil.rmtree(old, ignore_errors=True)


def sources_of(settings: Settings, folder: Path) -> Sequence[tuple[SourceSettings, Source]]:
    """Every configured source, opened."""
    return [(own, open_source(own, folder)) for own in settings.source]


__all__ = ["SourceError", "gather", "sources_of"]
