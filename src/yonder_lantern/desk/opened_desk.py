"""What every part of a desk stands on: its folder, settings, index, caller and records."""

from __future__ import annotations

import copy
import logging
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

from ..conversation import Conversations, SqlStore, postgres_store, sqlite_store
from ..core import (
    Answer,
    Caller,
    CallError,
    Cancel,
    Document,
    EntityCard,
    EntityPath,
    FoundNote,
    GatherReport,
    NeverCancel,
    NoRecorder,
    Note,
    NothingGatheredError,
    Progress,
    Query,
    Recorder,
    ResolvedQuery,
    SearchResult,
    YonderError,
    hashed_name,
    no_progress,
)
from ..index import KnownSource, Snapshot
from ..knowledge import NoteBook, SqlNotes, postgres_notes, sqlite_notes
from ..observe import AnswerBudget, CostLedger, Traces
from ..policy import HouseRules, embedding_context
from ..replies import FixedReplies, Function, LookUps
from ..search import SharedSearch
from ..settings import STATE_FOLDER, Settings, revealed, without_password
from .desk_style import DeskStyles
from .open_index import OpenIndex
from .open_reading import open_reading
from .resolve import check_labels, resolve

if TYPE_CHECKING:
    from ..ingest.sources import HeldItem
    from .gathering import GatherOrder
    from .knowing import DeskKnowledge
    from .pipeline import Pipeline

_LOG = logging.getLogger("yonder_lantern.desk")


class OpenedDesk:
    """A desk's folder, opened; see `Desk` for its parameters."""

    def __init__(
        self,
        folder: Path,
        settings: Settings,
        *,
        record: bool = True,
        functions: Mapping[str, Function] | None = None,
        state: Path | None = None,
    ) -> None:
        self.folder = folder
        self.settings = settings
        self.state = state = state or folder / STATE_FOLDER
        self.caller = Caller()
        self.asked_by = ""  # whose questions are asked by this view
        self._replies = FixedReplies(settings, functions or {})
        self.costs = CostLedger(state / "costs")
        self._styles = DeskStyles()
        self._shared: SharedSearch | None = None
        self._recorder: Recorder = self.traces if record else NoRecorder()
        self._index = OpenIndex(
            state / "index",
            lambda: embedding_context(folder, state, settings),
            lambda snapshot: open_reading(snapshot, folder, state, settings),
        )

    def under(self, settings: Settings) -> Self:
        """The same desk under other settings of finding and answering, over the same open index.

        Parameters
        ----------
        settings : Settings
            They must not differ in how documents are read, cut or embedded.
        """
        view = copy.copy(self)
        view.settings = settings
        return view

    def resolve(self, query: Query) -> ResolvedQuery:
        """A query ready to be searched for, stale sources refreshed before."""
        self._refresh_stale()
        return resolve(query, self.caller, self.settings, self.describe_image)

    def _refresh_stale(self) -> None:
        """Gather the sources that are older than they may be, where the settings ask for it."""
        if not self.settings.gather.refresh_before_answering:
            return
        from .gathering import GatherOrder, was_tried

        known: Mapping[str, KnownSource] = {}
        with suppress(NothingGatheredError), self._index.reading() as snapshot:
            known = snapshot.sources()
        rules = HouseRules(self.settings.house_rule).at("gathered").settings
        stale = [
            source.name
            for source in self.settings.source
            if source.refresh_after and not was_tried(source, known.get(source.name), rules)
        ]
        if not stale:
            return
        try:
            self._gather(GatherOrder(only=stale))
        except YonderError as error:  # an older answer is better than none; it says its age
            _LOG.warning("what is stale could not be refreshed: %s", error.what)

    @contextmanager
    def _pipeline(self) -> Iterator[Pipeline]:
        from .paid_calls import PaidCalls
        from .pipeline import Pipeline  # only here: finding need not wait for it

        settings = self.settings.answer
        with self._index.reading() as snapshot:
            yield Pipeline(
                self.folder,
                self.state,
                self.settings,
                snapshot,
                self._replies,
                PaidCalls(
                    self.state,
                    AnswerBudget(self.costs, settings.max_price, settings.max_price_a_day),
                ),
                self._record,
                self._notes_beside(snapshot),
                self._further(snapshot),
                partial(self._styles.of, snapshot, settings.style.documents)
                if settings.style.documents
                else lambda _: None,
            )

    def _notes_beside(
        self, snapshot: Snapshot
    ) -> Callable[[SearchResult, Answer], tuple[FoundNote, ...]]:
        """What finds the notes for an answer; one that cannot be read costs no answer."""
        folder = self.state / "notes"
        if not self.settings.notes.beside_answers or not (
            self.settings.notes.address or folder.exists()
        ):
            return lambda *_: ()

        def found(result: SearchResult, answer: Answer) -> tuple[FoundNote, ...]:
            from .noting import notes_beside

            try:
                return notes_beside(self.notes, snapshot, result, answer)
            except (OSError, YonderError) as error:
                _LOG.warning("the notes could not be read: %s", error)
                return ()

        return found

    def _further(self, snapshot: Snapshot) -> Callable[[SearchResult], SearchResult]:
        """What brings in the passages that statements lead to, where the settings ask for it."""
        if not self.settings.steps.statements:
            return lambda result: result

        def followed(result: SearchResult) -> SearchResult:
            from ..knowledge import further_spots
            from ..search import with_passages
            from .knowing import DeskKnowledge

            began = time.perf_counter()
            known = DeskKnowledge(self.state, snapshot, result.query.caller, self.settings)
            known.update()
            found = with_passages(snapshot, result, further_spots(known, result), "statements")
            spent = round((time.perf_counter() - began) * 1000, 3)
            return replace(found, times={**found.times, "statements": spent})

        return followed

    def _record(self, trace: dict[str, Any]) -> str:
        if self.asked_by:  # a hash: the trace names nobody
            trace = {**trace, "by": hashed_name(self.asked_by)}
        try:
            return self._recorder.record(trace)
        except OSError as error:  # a full disk or a folder to read only: answer all the same
            _LOG.warning("the trace of a question could not be kept: %s", error)
            return ""

    def describe_image(self, image: str | Path | bytes) -> str:
        """What an image shows, in words, by the service that ``gather.image_service`` names.

        Parameters
        ----------
        image : path or bytes

        Raises
        ------
        SettingsError, CallError
            No service is named; the image cannot be read.
        ServiceError
            The service cannot be reached, refuses, or gives something else.
        """
        from .gathering import Describer

        return Describer(self.settings, self.state).described(image)

    def check_audience(self, labels: Iterable[str] | str) -> None:
        """Refuse a label that nothing has: one that is misspelt would only find less.

        Raises
        ------
        CallError
        """
        indexed: set[str] = set()
        with suppress(NothingGatheredError), self._index.reading() as snapshot:
            indexed = snapshot.labels()
        check_labels(labels, self.settings, indexed)

    def _only_the_owner(self, deed: str) -> None:
        if not self.caller.is_owner:
            fix = "use the desk that was opened"
            raise CallError(f"only the desk's owner may {deed}", "audience", fix)

    @property
    def traces(self) -> Traces:
        """The traces that the caller may see."""
        return Traces(self.state / "traces", self.caller)

    @property
    def look_ups(self) -> LookUps:
        """What can be looked up when a question comes."""
        return self._replies.look_ups

    @property
    def conversations(self) -> Conversations:
        """The conversations that the caller may go on with."""
        return Conversations(self._conversation_store, self.caller)

    @cached_property
    def _conversation_store(self) -> SqlStore:
        address = self.settings.conversations.address
        if address:
            return postgres_store(revealed(address), without_password(address))
        return sqlite_store(self.state / "conversations")

    @cached_property
    def _note_store(self) -> SqlNotes:
        address = self.settings.notes.address
        if address:
            return postgres_notes(revealed(address), without_password(address))
        return sqlite_notes(self.state / "notes")

    @property
    def notes(self) -> NoteBook:
        """The notes that the caller may see, leave and withdraw."""
        from .noting import quotes_restricted

        def refuses(text: str, labels: Sequence[str], about: str) -> str:
            if about and self.document(about) is None:
                return f"there is no document {about!r} that it could be about"
            try:
                with self._index.reading() as snapshot:
                    document = snapshot.document(about) if about else None
                    if document is not None and not set(labels) <= document.audience:
                        return f"it is about a document that not all of {', '.join(labels)} may see"
                    return quotes_restricted(snapshot, self.settings.find, text, labels)
            except NothingGatheredError:
                return ""

        return NoteBook(self._note_store, self.caller, refuses, self.settings.desk.zone)

    @contextmanager
    def knowledge(self) -> Iterator[DeskKnowledge]:
        """What the documents say of which things; see `DeskKnowledge`."""
        from .knowing import DeskKnowledge

        with self._index.reading() as snapshot:
            yield DeskKnowledge(
                self.state, snapshot, self.caller, self.settings, self._standing_notes
            )

    def read_by_model(
        self, progress: Progress = no_progress, cancel: Cancel | None = None
    ) -> tuple[int, int]:
        """Let the model that answers read what documents say of which things, a page a call.

        What it proposes is kept where the words say so. Only documents that it has not read in
        their version are read, each kept when it is done; for the owner alone.

        Parameters
        ----------
        progress : Progress
        cancel : Cancel, optional

        Returns
        -------
        documents, statements : int
            How many were read, and kept.

        Raises
        ------
        CallError
            The desk has no model, or this is a caller's view.
        LimitError, ServiceError
            It could cost more than may be spent; the model cannot be reached.
        """
        self._only_the_owner("let a model read documents")
        from .read_by_model import reader

        with self._pipeline() as pipeline, self.knowledge() as known:
            return known.read_by_model(reader(pipeline, cancel or NeverCancel()), progress)

    def _standing_notes(self) -> list[Note]:
        if not (self.settings.notes.address or (self.state / "notes").exists()):
            return []
        return self.notes.standing(self.caller.as_of)

    def entity(self, name: str) -> EntityCard:
        """What the documents say of an entity, by any of its names.

        Parameters
        ----------
        name : str

        Raises
        ------
        CallError
            They say nothing of anything of that name that the caller may see.
        """
        with self.knowledge() as known:
            return known.card(name)

    def entity_paths(self, one: str, other: str) -> list[EntityPath]:
        """The shortest ways from one entity to another, over what documents say.

        Parameters
        ----------
        one, other : str
            Any of their names.

        Raises
        ------
        CallError
            They say nothing of one of them that the caller may see.
        MissingExtraError
            NetworkX is not installed (extra ``[graph]``).
        """
        with self.knowledge() as known:
            return known.paths(one, other)

    def snapshot(self) -> Snapshot:
        """The newest generation of the index, open until the desk is closed or gathers."""
        return self._index.newest()

    def close(self) -> None:
        """Give back what the desk holds open, once the questions under way are answered."""
        self._index.close()

    def is_unread(self, id_: str) -> bool:
        """Whether a document is missing because it, or its source, could not be read."""
        with self._index.reading() as snapshot:
            if snapshot.document_row(id_) is not None:
                return False
            source = snapshot.sources().get(id_.partition("/")[0])
            if source is not None and source.problem:
                return True
            return any(f"{one.source}/{one.key}" == id_ for one in snapshot.problems())

    def document(self, id_: str) -> Document | None:
        """A document of the index by its id, with its canonical text.

        Parameters
        ----------
        id_ : str

        Returns
        -------
        Document or None
            None too where the caller may not see it. The owner sees it whether it is valid
            now or not.
        """
        with self._index.reading() as snapshot:
            found = snapshot.document(id_)
        caller = self.caller
        if found is None or (caller.is_owner and caller.as_of is None):
            return found
        return found if found.visible_to(caller, caller.at()) else None

    def gather(
        self,
        *,
        sources: Iterable[str] = (),
        items: Mapping[str, str | bytes] | Iterable[HeldItem] | None = None,
        source: str = "held",
        audience: Sequence[str] = ("public",),
        complete: bool = True,
        dry_run: bool = False,
        rebuild: bool = False,
        allow_empty: bool = False,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> GatherReport:
        """Bring the index up to date with the sources, or with documents held by a program.

        What has not changed is not read again. Readers see the earlier generation
        until the new one is complete. A source that cannot be read keeps its
        documents, and the others go on. What was taken in before an interruption
        stays, and the next gather goes on from there; one that is killed changes
        nothing.

        Parameters
        ----------
        sources : iterable of str
            Only these, and these even if ``refresh_after`` says they are fresh.
        items : mapping of key to contents, or iterable of HeldItem, optional
            Documents that the program holds. Only they are gathered then; they stay
            in the index through later gathers.
        source : str
            With ``items``: the name of the source they are the documents of.
        audience : sequence of str
            With ``items``: who may see them.
        complete : bool
            With ``items``: whether these are all; those of earlier are removed then.
        dry_run : bool
            Read and compare, but write nothing.
        rebuild : bool
            Read everything anew into a new index, which then replaces the old.
        allow_empty : bool
            Let a source that has become empty lose its documents.
        progress : Progress
            Told how far each source has come.
        cancel : Cancel, optional
            Looked at between items.

        Raises
        ------
        SourceError
            No source could be read at all, and nothing had been gathered before.
        CallError
            There is no source of that name.
        IndexStateError
            Another gather is running, the index is damaged, or the disk is full.
        CancelledError
            ``cancel`` was set.
        """
        self._only_the_owner("gather")
        from .gathering import GatherOrder

        if isinstance(items, Mapping):
            from ..ingest.sources import HeldItem

            items = [HeldItem(key, data) for key, data in items.items()]
        order = GatherOrder(
            dry_run=dry_run,
            rebuild=rebuild,
            allow_empty=allow_empty or (items is not None and complete),
            only=tuple(sources),
            held={} if items is None else {source: tuple(items)},
            audience=tuple(audience),
            complete=complete,
            progress=progress,
            cancel=cancel or NeverCancel(),
        )
        return self._gather(order)

    def _gather(self, order: GatherOrder) -> GatherReport:
        """Gather, whoever the caller is: a caller's question may bring stale sources up to date."""
        from .gathering import gather

        self.close()  # what nobody is reading any more can then be swept
        return gather(self.folder, self.state, self.settings, order)
