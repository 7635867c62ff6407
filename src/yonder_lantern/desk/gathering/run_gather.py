"""Gathering: sources → formats → passages → the next generation of the index."""

from __future__ import annotations

import logging
import re
import shutil
import time
from collections.abc import Collection, Mapping, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from msgspec.structs import asdict
from msgspec.structs import replace as replace_settings

from ...core import (
    CallError,
    Cancel,
    CancelledError,
    Document,
    GatherReport,
    IndexStateError,
    NeverCancel,
    Problem,
    Progress,
    SourceCounts,
    YonderError,
    no_progress,
)
from ...embedding import languages_of, open_method
from ...index import IndexWriter, KnownSource, open_writer
from ...ingest.executors import Executor, ProcessExecutor
from ...ingest.sources import HeldItem, HeldSource, Source, SourceContext, kind_of, open_source
from ...platform.storage import private_folder
from ...policy import HouseRules, embedding_context
from ...settings import HeldSettings, Settings, SourceSettings
from ...text import UNKNOWN
from ..open_reading import read_passages
from .applier import Applier
from .freshness import is_fresh
from .image_describer import Describer
from .index_in_place import REBUILD_LOCK, alone_with, bring_back, put_in_place
from .item_state import fingerprint
from .supersede import apply_superseding

_LOG = logging.getLogger("yonder_lantern.desk")
PASSAGES_VERSION = 5  # goes up when passages or terms of an unchanged document would differ
HELD = "held"
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]*")


@dataclass(frozen=True, slots=True)
class GatherOrder:
    """What to gather and how; see `Desk.gather`.

    ``only`` names the sources to gather, all if empty; ``held`` are a program's
    documents, by source; ``complete`` says that these are all there are.
    """

    dry_run: bool = False
    rebuild: bool = False
    allow_empty: bool = False
    only: Collection[str] = ()
    held: Mapping[str, Sequence[HeldItem]] = field(default_factory=dict)
    audience: Sequence[str] = ("public",)
    complete: bool = True
    progress: Progress = no_progress
    cancel: Cancel = field(default_factory=NeverCancel)


def gather(folder: Path, state: Path, settings: Settings, order: GatherOrder) -> GatherReport:
    """Bring the index up to date with the sources. See `Desk.gather`."""
    began = time.perf_counter()
    settings = _with_longest(folder, state, settings)
    index_folder = state / "index"
    _check_names(settings, order)
    if order.rebuild:
        report = _rebuild(folder, state, settings, order)
    else:
        bring_back(index_folder)
        report = _gather_into(index_folder, folder, state, settings, order)
    report.dry_run = order.dry_run
    report.seconds = time.perf_counter() - began
    return report


def _gather_into(
    target: Path, folder: Path, state: Path, settings: Settings, order: GatherOrder
) -> GatherReport:
    with ExitStack() as stack:
        writer = stack.enter_context(open_writer(target, merging=not order.dry_run))
        executor = stack.enter_context(
            ProcessExecutor(settings.gather.workers, settings.gather.limits)
        )
        work = _Gathering(folder, state, writer, executor, settings, order)
        try:
            work.sources()
        except CancelledError as error:
            if order.dry_run or order.rebuild:
                raise
            raise work.keep_what_is_done(error) from None
        if order.dry_run:
            return work.outcome()
        report = work.publish()
    read_passages(target, folder, state, settings, report, order.progress, order.cancel)
    return report


def _rebuild(folder: Path, state: Path, settings: Settings, order: GatherOrder) -> GatherReport:
    """Gather everything into a new index, and put it in place of the old.

    What one builds, no other may put in place, or purge.
    """
    index_folder = state / "index"
    target = index_folder.with_name(index_folder.name + ".rebuilt")
    private_folder(state)
    with alone_with(state, REBUILD_LOCK):
        bring_back(index_folder)
        shutil.rmtree(target, ignore_errors=True)
        report = _gather_into(target, folder, state, settings, order)
        if order.dry_run:
            shutil.rmtree(target, ignore_errors=True)
        else:
            with alone_with(index_folder):
                put_in_place(target, index_folder)
    return report


def publish_as_cut(folder: Path, state: Path, settings: Settings, order: GatherOrder) -> None:
    """Cut and embed what the index holds as the settings say; no source is read."""
    settings = _with_longest(folder, state, settings)
    with ExitStack() as stack:
        writer = stack.enter_context(open_writer(state / "index"))
        executor = stack.enter_context(
            ProcessExecutor(settings.gather.workers, settings.gather.limits)
        )
        _Gathering(folder, state, writer, executor, settings, order).publish()


def rebuild_without(
    folder: Path, state: Path, settings: Settings, order: GatherOrder, gone: Collection[str]
) -> None:
    """Build the index anew from what it holds, but for some documents; no source is read.

    Of what it held before nothing is left, neither words nor vectors that were learned from them.
    """
    index_folder = state / "index"
    bring_back(index_folder)
    if not (index_folder / "manifest.json").exists():
        return
    settings = _with_longest(folder, state, settings)
    target = index_folder.with_name(index_folder.name + ".rebuilt")
    with alone_with(state, REBUILD_LOCK), alone_with(index_folder):
        shutil.rmtree(target, ignore_errors=True)
        with ExitStack() as stack:
            writer = stack.enter_context(open_writer(target))
            executor = stack.enter_context(
                ProcessExecutor(settings.gather.workers, settings.gather.limits)
            )
            work = _Gathering(folder, state, writer, executor, settings, order)
            work.carry_over_without(gone)
            work.publish()
        put_in_place(target, index_folder)
    read_passages(
        index_folder, folder, state, settings, GatherReport(), order.progress, order.cancel
    )


def _with_longest(folder: Path, state: Path, settings: Settings) -> Settings:
    """The settings with the longest passage that the embedding takes, unless one is set.

    Raises
    ------
    SettingsError
        The embedding's own settings make no sense: before anything is read.
    """
    method = open_method(settings.embedding, embedding_context(folder, state, settings))
    cut_settings = settings.passages
    if cut_settings.max_tokens or not method.longest:
        return settings
    tokens = min(cut_settings.tokens, method.longest)
    overlap = min(cut_settings.overlap, tokens // 2)
    cut = replace_settings(cut_settings, tokens=tokens, overlap=overlap, max_tokens=method.longest)
    return replace_settings(settings, passages=cut)


def _check_names(settings: Settings, order: GatherOrder) -> None:
    names = {source.name for source in settings.source}
    for name in order.only:
        if name not in names:
            known = ", ".join(sorted(names))
            raise CallError(f"there is no source {name!r}", "--source", f"there are: {known}")
    for name in order.held:
        if not _NAME.fullmatch(name):
            raise CallError(
                f"not a name for a source: {name!r}",
                "source",
                "use letters, figures, dots and dashes",
            )
        if name in names:
            raise CallError(
                f"the source {name!r} is in the settings: its documents come from there",
                "source",
                "give the program's documents a name of their own",
            )


class _Gathering:
    """One gather under way."""

    def __init__(
        self,
        folder: Path,
        state: Path,
        writer: IndexWriter,
        executor: Executor,
        settings: Settings,
        order: GatherOrder,
    ) -> None:
        self._folder = folder
        self._state = state
        self._writer = writer
        self._settings = settings
        self._order = order
        self._report = GatherReport()
        self._applier = Applier(
            writer,
            executor,
            settings,
            self._report,
            order.progress,
            order.cancel,
            preview=order.dry_run,
            describer=Describer(settings, state, order.cancel),
        )
        self._rules = HouseRules(settings.house_rule).at("gathered").settings
        self._known = writer.records.sources()
        self._context = embedding_context(
            folder, state, settings, progress=order.progress, cancel=order.cancel
        )

    def sources(self) -> None:
        """Gather every source that is to be, then what they have in common."""
        if self._order.rebuild:
            self._carry_over()
        failures: list[YonderError] = []
        wanted = self._wanted()
        for source in wanted:
            try:
                self._source(source)
            except (CancelledError, IndexStateError):
                raise
            except Exception as error:  # whatever it is, it is this source's: the others go on
                failures.append(self._failed(source, error))
        if failures and len(failures) == len(wanted) and not self._writer.records.live():
            raise failures[0]  # nothing was there before and nothing is now
        for name, known in self._known.items():
            if known.kind == HELD and name not in self._order.held:
                self._applier.documents.apply_rules(name)
        self._applier.take_up_undetermined()
        self._drop_unlisted()
        apply_superseding(self._writer, self._report)

    def _wanted(self) -> list[SourceSettings]:
        order = self._order
        held = [HeldSettings(name=name, audience=tuple(order.audience)) for name in order.held]
        if held:
            return [*held]
        return [
            source
            for source in self._settings.source
            if not order.only or source.name in order.only
        ]

    def _source(self, source_settings: SourceSettings) -> None:
        """Gather one source."""
        began = time.perf_counter()
        counts = self._report.sources.setdefault(source_settings.name, SourceCounts())
        if self._is_fresh(source_settings):
            counts.unchanged = self._applier.documents.count(source_settings.name)
            return
        checked = time.time_ns()
        source = self._open(source_settings)
        source.check()
        self._applier.apply(
            source_settings,
            source,
            counts,
            allow_empty=self._order.allow_empty,
            complete=self._order.complete or source_settings.name not in self._order.held,
        )
        counts.seconds = time.perf_counter() - began
        self._remember(source_settings, checked)

    def _open(self, source_settings: SourceSettings) -> Source:
        if isinstance(source_settings, HeldSettings):
            return HeldSource(
                source_settings.name,
                self._order.held[source_settings.name],
                frozenset(source_settings.audience),
            )
        context = SourceContext(
            desk=self._folder,
            state=self._state / "sources" / source_settings.name,
            limits=self._settings.gather.limits,
            services=self._settings.service,
            cancel=self._order.cancel,
            notice=self._report.notices.append,
        )
        return open_source(source_settings, context)

    def _is_fresh(self, source_settings: SourceSettings) -> bool:
        """Whether the source was looked at so lately that it need not be again."""
        if self._order.rebuild or self._order.only:
            return False
        return is_fresh(source_settings, self._known.get(source_settings.name), self._rules)

    def _remember(self, source_settings: SourceSettings, checked: int, problem: str = "") -> None:
        self._writer.records.remember_source(
            KnownSource(
                source_settings.name,
                kind_of(source_settings),
                fingerprint(source_settings, self._rules),
                checked,
                time.time_ns(),
                problem,
            )
        )

    def _failed(self, source_settings: SourceSettings, trouble: Exception) -> YonderError:
        """Report a source that could not be read; its documents stay."""
        error = _as_error(source_settings, trouble)
        counts = self._report.sources.setdefault(source_settings.name, SourceCounts())
        counts.failed += 1
        if self._order.rebuild:
            self._carry_over([source_settings.name])
        kept = self._applier.documents.keep_all(source_settings, counts)
        reason = error.what + (f" ({error.where})" if error.where else "")
        if kept:
            reason += f"; its {kept} earlier documents are kept"
        self._report.problems.append(
            Problem(f"source {source_settings.name}", reason, error.remedy)
        )
        before = self._known.get(source_settings.name)
        self._remember(source_settings, before.checked_ns if before else 0, reason)
        return error

    def _drop_unlisted(self) -> None:
        """Remove the documents of sources that the settings no longer name."""
        named = {source.name for source in self._settings.source} | set(self._order.held)
        named |= {name for name, known in self._known.items() if known.kind == HELD}
        for name, removed in self._applier.documents.drop_all_but(named).items():
            self._report.sources.setdefault(name, SourceCounts()).removed += removed
        for name in self._known.keys() - named:
            self._writer.records.forget_source(name)

    def _carry_over(self, names: Collection[str] = ()) -> None:
        """Take the documents of some sources over from the index that is being replaced.

        If none is named: those that programs have handed in, which cannot be read
        again from anywhere.
        """
        earlier = self._state / "index"
        if not (earlier / "manifest.json").exists():
            return
        from ...index import open_snapshot

        try:
            with closing(open_snapshot(earlier)) as snapshot:
                for name, known in snapshot.sources().items():
                    if name in names or (not names and known.kind == HELD):
                        self._applier.documents.carry_over(name, snapshot.records)
                        self._writer.records.remember_source(known)
                        self._known[name] = known
        except YonderError as error:
            _LOG.warning("the earlier index cannot be read: %s", error.what)
            self._report.problems.append(
                Problem(
                    "the earlier index",
                    f"what only it holds cannot be taken over: {error.what}",
                    "hand in again the documents that programs handed in",
                )
            )

    def carry_over_without(self, gone: Collection[str]) -> None:
        """Take over all that the index holds but some documents."""
        from ...index import open_snapshot

        with closing(open_snapshot(self._state / "index")) as snapshot:
            for name, known in snapshot.sources().items():
                self._applier.documents.carry_over(name, snapshot.records, without=gone)
                self._writer.records.remember_source(known)
                self._known[name] = known
        apply_superseding(self._writer, self._report)

    def keep_what_is_done(self, error: CancelledError) -> CancelledError:
        """Publish what was taken in before an interruption; the error that says so.

        Nothing is removed then but what was seen to be gone from a source that was
        read to its end.
        """
        self._applier.take_up_undetermined()
        apply_superseding(self._writer, self._report)
        report = self.publish()
        done = report.added + report.changed + report.moved
        what = f"interrupted; {done} documents were taken in before, and stay"
        return CancelledError(what, error.where, "gather again: it goes on from there")

    def outcome(self) -> GatherReport:
        """What publishing would do; ``passages`` are those added and taken away."""
        report = self._report
        report.embedding = "kept"
        report.generation = self._writer.generation
        report.documents = len(self._writer.records.live())
        report.passages = self._writer.changed_passages()
        report.tokens = self._writer.added_tokens
        return report

    def publish(self) -> GatherReport:
        """Publish the next generation, if anything changed."""
        writer, report = self._writer, self._report
        fingerprint = _fingerprint(self._settings)
        cut_again = not writer.was_made_with(fingerprint)
        embedding = self._settings.embedding
        report.tokens = writer.added_tokens
        method = open_method(embedding, self._context)
        if not (writer.changed or cut_again) and writer.fits(method, embedding):
            writer.keep_items_only()
            report.embedding = "kept" if writer.embedding_entry else "none"
        else:
            self._order.progress("writing the index", 0, None)
            if cut_again:
                writer.cut_again(self._applier.documents.prepared, self._not_cut)
            report.embedding = writer.publish(
                fingerprint=fingerprint, method=method, settings=embedding, context=self._context
            )
            self._tell_of_languages()
        report.generation = writer.generation
        report.documents, report.passages = writer.totals()
        return report

    def _not_cut(self, document: Document, error: Exception) -> None:
        what = f"it cannot be cut any more, and is taken out: {error}"
        self._report.problems.append(Problem(document.id, what, "gather it again"))

    def _tell_of_languages(self) -> None:
        """Tell which languages of the documents the embedding is not for."""
        method = self._settings.embedding.method
        written = [one for one in self._writer.languages if one != UNKNOWN]
        known = languages_of(method, written)
        others = [one for one in written if one not in known]
        if others and self._settings.find.lexical_weight is None:
            self._report.notices.append(
                f"the {method} is not for {', '.join(others)}: "
                "for questions in that language, words count more than meaning"
            )


def _as_error(source_settings: SourceSettings, trouble: Exception) -> YonderError:
    """Whatever went wrong with a source as an error for people."""
    if isinstance(trouble, YonderError):
        return trouble
    if isinstance(trouble, OSError):
        reason, where = trouble.strerror or str(trouble), str(trouble.filename or "")
        return YonderError(reason, where, "see that it can be read")
    return YonderError(
        f"reading it failed: {type(trouble).__name__}: {trouble}",
        source_settings.location,
        "leave it out, and report the fault",
    )


def _fingerprint(settings: Settings) -> dict[str, Any]:
    return {**asdict(settings.passages), "passages": PASSAGES_VERSION}
