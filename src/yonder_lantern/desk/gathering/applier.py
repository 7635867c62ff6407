"""Collecting one source's items: what is new, changed, moved or gone."""

from __future__ import annotations

import time
from collections import deque
from dataclasses import replace
from functools import partial
from typing import cast

from ...core import (
    Cancel,
    CancelledError,
    Document,
    ExcludedError,
    GatherReport,
    IndexStateError,
    Item,
    LimitError,
    Parsed,
    Problem,
    Progress,
    SourceCounts,
)
from ...index import IndexWriter, KnownItem, metadata_of
from ...ingest.executors import Executor, Read, ReadRequest, ReadWithImages
from ...ingest.formats import Formats, name_of
from ...ingest.sources import Source
from ...policy import HouseRules
from ...settings import Settings, SourceSettings
from ...text import UNKNOWN
from .image_describer import Describer
from .item_state import (
    ItemRead,
    ItemState,
    Placed,
    digest_of,
    item_by_rule,
    item_states,
    items_by_rule,
    moves_of,
    reading_of_item,
    reading_of_source,
    rules_of,
    told_of,
)
from .live_documents import LiveDocuments
from .read_requests import ReadRequests
from .readable_items import readable_items
from .repeated_on_pages import has_many_pages, repeated_on_pages
from .source_reading import SourceReading, kept_reading
from .spending import Spending

_LONG = 200_000  # characters of a document that is cut by a process of its own


class Applier:
    """Takes the items of one source after another into an index that is being written.

    Parameters
    ----------
    writer : IndexWriter
    executor : Executor
    settings : Settings
    report : GatherReport
        Told what happened.
    progress : Progress
    cancel : Cancel
    preview : bool
        Nothing is paid for: what would cost something is counted, not read.
    describer : Describer
        Says what images show.
    """

    def __init__(
        self,
        writer: IndexWriter,
        executor: Executor,
        settings: Settings,
        report: GatherReport,
        progress: Progress,
        cancel: Cancel,
        *,
        preview: bool,
        describer: Describer,
    ) -> None:
        self._describer = describer
        self._preview = preview
        self._writer = writer
        self._executor = executor
        self._settings = settings
        self._report = report
        self._progress = progress
        self._cancel = cancel
        self._formats = Formats(settings.gather.limits)
        self._main_language = settings.desk.language
        self._put_off: list[tuple[SourceSettings, ItemRead, Document, SourceCounts]] = []
        self._spending = Spending(settings.gather.max_price, report, progress)
        self._reading = SourceReading()
        self._described = 0  # images within the documents of a source, or that would be
        limit = settings.gather.limits.seconds
        self._rules = HouseRules(settings.house_rule, limit).at("gathered")
        self._requests = ReadRequests(settings, self._rules, self._formats, describer)
        self.documents = LiveDocuments(writer, self._rules, settings.passages, report)
        self._live = self.documents.live

    # -- a source

    def apply(
        self,
        source_settings: SourceSettings,
        source: Source,
        counts: SourceCounts,
        *,
        allow_empty: bool,
        complete: bool,
    ) -> None:
        """Take in a source's items; if they are complete, what is not among them goes."""
        self._progress(source_settings.name, 0, None)
        items = readable_items(
            source.items(), self._formats, counts, self._report.skipped, self._cancel
        )
        here = self.documents.of_source(source_settings.name)
        if not items and not (here and allow_empty):
            self._empty(
                source_settings,
                counts,
                bool(here),
                len(self.documents.keep(source_settings, here, counts)),
            )
            return
        keys = None if complete else [item.key for item in items]
        known = self._writer.records.items(source_settings.name, keys)
        seen_ids = {item.id for item in items}
        gone = here - seen_ids if complete else set()
        moves = moves_of(source_settings, known, gone)
        self._reading = self._reading_now(source_settings, items, known, complete=complete)
        if self._describer:
            items = self._priced(items, known)
        self._spending.announce(source_settings, items)
        self._items(source_settings, items, known, moves, counts)
        if self._described:
            count = f"{self._described} image{'' if self._described == 1 else 's'}"
            what = "to describe" if self._preview else "described"
            self._report.notices.append(f"{source_settings.name}: {count} within documents {what}")
            self._described = 0
        unlisted = tuple(item.id for item in items if item.unlisted)
        out_of_reach = {id_ for id_ in gone if id_.startswith(unlisted)}
        left = gone & self._live.keys()  # those that were moved are not there any more
        for id_ in sorted(left - out_of_reach):
            self._writer.remove(self._live.pop(id_)[0])
            counts.removed += 1
        self.documents.keep(source_settings, out_of_reach, counts)
        for key in known if complete else ():
            id_ = f"{source_settings.name}/{key}"
            if id_ not in seen_ids and id_ not in out_of_reach:
                self._writer.records.forget(source_settings.name, key)

    def _priced(self, items: list[Item], known: dict[str, KnownItem]) -> list[Item]:
        """Images with what describing them costs; those that have not changed are not read."""
        reading_of = partial(self._reading_of, self._reading.common)
        states = item_states(items, known, self._live, reading_of)
        return [one.item if one.untouched else self._describer.priced(one.item) for one in states]

    def _reading_now(
        self,
        source_settings: SourceSettings,
        items: list[Item],
        known: dict[str, KnownItem],
        *,
        complete: bool,
    ) -> SourceReading:
        """What the documents are read with; pages are looked at only where something changed."""
        common = reading_of_source(source_settings, self._settings, self._rules.settings)
        if not complete or not has_many_pages(items, self._formats):
            return SourceReading(common)
        ruled = items_by_rule(source_settings, items)
        kept = kept_reading(common, ruled, known, self._live, self._reading_of)
        page = partial(self._page, source_settings)
        return kept or SourceReading.without(common, repeated_on_pages(items, self._formats, page))

    def _reading_of(self, common: str, item: Item) -> str:
        return reading_of_item(common, item, self._formats, self._describer)

    # -- items

    def _items(
        self,
        source_settings: SourceSettings,
        items: list[Item],
        known: dict[str, KnownItem],
        moves: dict[str, str],
        counts: SourceCounts,
    ) -> None:
        rules = rules_of(source_settings)
        waiting: deque[ItemRead] = deque()
        for done, listed in enumerate(items):
            if self._cancel.is_set():
                raise CancelledError("the gather was interrupted", source_settings.name)
            self._progress(source_settings.name, done, len(items), listed.key)
            row, version, _ = self._live.get(listed.id, (0, "", ""))
            seen = ItemState(listed, known.get(listed.key), row, version, "")
            try:
                item = item_by_rule(source_settings, rules, listed)
                seen = replace(
                    seen, item=item, reading=self._reading_of(self._reading.common, item)
                )
                taken = self._look(source_settings, seen, counts)
            except (CancelledError, IndexStateError):
                raise
            except Exception as error:
                self._failing(source_settings, seen, "", time.time_ns(), error, counts)
                continue
            if taken is not None:
                waiting.append(taken)
            while waiting and (len(waiting) > self._executor.room or waiting[0].document.done()):
                self._settle(source_settings, waiting.popleft(), moves, counts)
        while waiting:
            if self._cancel.is_set():
                raise CancelledError("the gather was interrupted", source_settings.name)
            done = len(items) - len(waiting)
            self._progress(source_settings.name, done, len(items), waiting[0].seen.item.key)
            self._settle(source_settings, waiting.popleft(), moves, counts)
        self._progress(source_settings.name, len(items), len(items))

    def _look(
        self, source_settings: SourceSettings, seen: ItemState, counts: SourceCounts
    ) -> ItemRead | None:
        """Read an item, if it may have changed; None when there is nothing more to do."""
        if seen.untouched:
            counts.unchanged += 1
            return None
        if self._preview and (seen.item.seconds or seen.item.to_describe):
            self._would_pay(source_settings, seen, counts)
            return None
        digest = described = ""
        now = time.time_ns()  # before reading: a change while we read is seen next time
        try:
            data = self._contents(seen.item)
            digest = digest_of(data)
            if seen.known_good and seen.known is not None and seen.known.hash == digest:
                counts.unchanged += 1
                self._remember(seen, digest, now, seen.row)
                return None
            if isinstance(data, bytes) and self._describer.sees(seen.item):
                described = self._describer.describe(data, seen.item.format_name)
            request = self._requests.for_item(
                source_settings, seen.item, data, self._reading.repeated, described
            )
            document = self._executor.read(request)
        except (CancelledError, IndexStateError):
            raise
        except Exception as error:  # whatever it is, it is this item's: the others go on
            self._failing(source_settings, seen, digest, now, error, counts)
            return None
        return ItemRead(seen, digest, now, document)

    def _page(self, source_settings: SourceSettings, item: Item) -> Document:
        """A page, read to see what it has in common with others."""
        request = self._requests.for_page(source_settings, item, self._contents(item))
        return cast("Read", self._executor.read(request).result()).document

    def _would_pay(
        self, source_settings: SourceSettings, seen: ItemState, counts: SourceCounts
    ) -> None:
        """Count what reading an item would cost, without reading it."""
        try:
            self._spending.pay(seen.item)
        except LimitError as error:
            self._failing(source_settings, seen, "", time.time_ns(), error, counts)
        else:
            counts.added += not seen.row
            counts.changed += bool(seen.row)

    def _contents(self, item: Item) -> bytes | Parsed:
        limit = self._settings.gather.max_megabytes
        if item.stamp.size > limit * 1_000_000:
            raise LimitError(
                f"it has {item.stamp.size / 1e6:.1f} MB; the limit is {limit:g} MB",
                remedy="raise gather.max_megabytes, split it, or exclude it",
            )
        self._spending.pay(item)
        return item.read()

    def _settle(
        self,
        source_settings: SourceSettings,
        taken: ItemRead,
        moves: dict[str, str],
        counts: SourceCounts,
    ) -> None:
        """Put the document of an item that was read into the index."""
        try:
            read = taken.document.result()
            if isinstance(read, ReadWithImages):
                taken, read = self._with_images(taken, read)
            if read.document.language == UNKNOWN:
                if not self._main_language:
                    self._put_off.append((source_settings, taken, read.document, counts))
                    return
                read = Read(replace(read.document, language=self._main_language))
        except Exception as error:
            self._unsettled(source_settings, taken, error, counts)
        else:
            self._keep_read(source_settings, taken, read, moves, counts)

    def _keep_read(
        self,
        source_settings: SourceSettings,
        taken: ItemRead,
        read: Read,
        moves: dict[str, str],
        counts: SourceCounts,
    ) -> None:
        """Put what was read into the index, wholly or not at all."""
        try:
            with self._writer.whole_or_not():
                put = self._put(taken, read, moves)
                self._remember(taken.seen, taken.digest, taken.now, put.row, taken.problem)
        except Exception as error:
            self._unsettled(source_settings, taken, error, counts)
            return
        if put.came_from:
            del moves[taken.digest]
            del self._live[put.came_from]
        setattr(counts, put.outcome, getattr(counts, put.outcome) + 1)
        document = read.document
        self._live[document.id] = (put.row, document.version, document.source)

    def _unsettled(
        self,
        source_settings: SourceSettings,
        taken: ItemRead,
        error: Exception,
        counts: SourceCounts,
    ) -> None:
        """An item whose document is not put into the index; the others go on."""
        if isinstance(error, CancelledError | IndexStateError):  # not the document's trouble
            raise error
        if isinstance(error, ExcludedError):
            self._leave_out(taken, error, counts)
        else:
            self._failing(source_settings, taken.seen, taken.digest, taken.now, error, counts)

    def _with_images(self, taken: ItemRead, begun: ReadWithImages) -> tuple[ItemRead, Read]:
        """Read a document on, with what the images in it show.

        One that cannot be described costs the document nothing else: it is reported, and
        tried again by the next gather.
        """
        item = taken.seen.item
        images = begun.images
        shown = {name_of(image): "" for image in images}
        problem = ""
        for number, (name, image) in enumerate(zip(shown, images, strict=True), 1):
            try:
                price = self._describer.price_of(image)
                if price is not None:
                    self._spending.pay(replace(item, price=price))
                if price is None or not self._preview:
                    shown[name] = self._describer.describe(image, f"{name[:16]}.png")
                self._described += price is not None
            except (CancelledError, IndexStateError):
                raise
            except Exception as error:
                what, remedy = told_of(error)
                problem = f"image {number} in it is not described: {what}"
                self._report.problems.append(Problem(item.id, problem, remedy))
                if isinstance(error, LimitError):
                    break
        pending = taken.document.go_on(begun.parsed, shown)
        read = pending.result()
        assert isinstance(read, Read)  # its images are known now
        return replace(taken, document=pending, problem=problem), read

    def _leave_out(self, taken: ItemRead, error: ExcludedError, counts: SourceCounts) -> None:
        """A document that a house rule keeps out; an earlier version of it goes."""
        if taken.seen.row:
            self.documents.drop(taken.seen.item.id)
            counts.removed += 1
        self._report.notices.append(f"{taken.seen.item.id}: {error.what}")
        self._remember(taken.seen, taken.digest, taken.now, 0)

    def take_up_undetermined(self) -> None:
        """Take up the documents too short to tell their language: it is that of most others."""
        known = self._writer.records.languages()
        known.pop(UNKNOWN, None)
        main = max(known, key=lambda name: (known[name], name), default="")
        self._main_language = self._main_language or main
        for source, taken, undetermined, counts in self._put_off:
            document = replace(undetermined, language=self._main_language or UNKNOWN)
            read = Read(document)
            try:
                if len(document.text) > _LONG:
                    prepared = self._executor.read(self._to_prepare(taken, document)).result()
                    assert isinstance(prepared, Read)
                    read = prepared
            except Exception as error:
                self._unsettled(source, taken, error, counts)
                continue
            self._keep_read(source, taken, read, {}, counts)
        self._put_off = []

    def _to_prepare(self, taken: ItemRead, document: Document) -> ReadRequest:
        """A request to cut and prepare a document that was read before."""
        return ReadRequest(
            taken.seen.item, document, self._settings.desk.zone, document.language, {}, (),
            self._settings.passages,
        )  # fmt: skip

    def _put(self, taken: ItemRead, read: Read, moves: dict[str, str]) -> Placed:
        """Put a document into the index, if it differs from what is there."""
        records = self._writer.records
        document = read.document
        row = taken.seen.row
        same = row and taken.seen.version == document.version
        as_was = same and records.metadata(row) == metadata_of(document)
        if as_was and records.holds_text_of(row, document):
            return Placed(row, "unchanged")
        came_from = moves.get(taken.digest, "") if not row else ""
        if came_from:
            row = self._live[came_from][0]
            records.forget(document.source, came_from.removeprefix(f"{document.source}/"))
        if row and not records.audience(row) <= document.audience:
            self._writer.learn_anew()
        if row and records.holds_text_of(row, document):
            row = self._writer.keep_text(row, document)
        else:
            if row:
                self._writer.remove(row)
            row = self._writer.add(read.prepared or self.documents.prepared(document))
        if came_from:
            return Placed(row, "moved", came_from)
        return Placed(row, "changed" if taken.seen.row else "added")

    # -- what goes wrong

    def _failing(
        self,
        source_settings: SourceSettings,
        seen: ItemState,
        digest: str,
        now: int,
        error: Exception,
        counts: SourceCounts,
    ) -> None:
        """Report an item that cannot be read; its earlier version is kept, if it may be."""
        counts.failed += 1
        kept = self.documents.keep(source_settings, {seen.item.id} & self._live.keys(), counts)
        reason, remedy = told_of(error)
        if seen.row:
            reason += f" (its earlier version is {'kept' if kept else 'taken out, see audience'})"
        self._report.problems.append(Problem(seen.item.id, reason, remedy))
        row = self._live[seen.item.id][0] if kept else 0
        self._remember(seen, digest, now, row, reason, remedy)

    def _empty(
        self, source_settings: SourceSettings, counts: SourceCounts, had: bool, kept: int
    ) -> None:
        where = f"{source_settings.name} ({source_settings.location})"
        if had:
            counts.failed += 1
            counts.unchanged += kept
            reason = f"it is empty but was not before; {kept} earlier documents are kept"
            remedy = "if that is meant, gather with --allow-empty"
        elif counts.skipped:
            reason = "it holds nothing that a format reads"
            remedy = "see docs/howto/gather.md for the formats there are"
        else:
            reason = "there is no document in it"
            remedy = "put some in, or change include and exclude"
        self._report.problems.append(Problem(where, reason, remedy))

    def _remember(
        self,
        seen: ItemState,
        digest: str,
        now: int,
        row: int,
        problem: str = "",
        remedy: str = "",
    ) -> None:
        item = seen.item
        self._writer.records.remember(
            KnownItem(
                source=item.source,
                key=item.key,
                size=item.stamp.size,
                modified_ns=item.stamp.modified_ns,
                seen_ns=now,
                mark=item.stamp.mark,
                hash=digest,
                reading=seen.reading,
                problem=problem,
                remedy=remedy,
                row=row,
            )
        )
