"""The methods of a desk that look after what it keeps: purged, aged, copied."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from ..core import (
    CallError,
    Cancel,
    GatherReport,
    IndexStateError,
    NeverCancel,
    NothingGatheredError,
    Progress,
    Store,
    YonderError,
    no_progress,
)
from ..settings import parse_duration
from .measuring import MeasuringDesk

if TYPE_CHECKING:
    from ..index import Snapshot
    from .purge import PurgeReport

_SERVED = timedelta(minutes=10)  # that the events of a turn can be read again


class KeepingDesk(MeasuringDesk):
    """The methods of a desk that look after what it keeps."""

    def stores(self) -> Sequence[Store]:
        """Everything that the desk keeps beside its index; for the owner alone."""
        self._only_the_owner("look after what is kept")
        from .stores import all_stores

        questions = self.folder / self.settings.grade.questions
        return all_stores(self.state, questions, self._conversation_store, self._note_store)

    def purge(
        self,
        document: str | Iterable[str] = (),
        person: str = "",
        *,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> PurgeReport:
        """Remove the words of documents, or a person's conversations, from everything kept.

        A document must be gone from its source: that is gathered first. What quoted it is
        redacted with a mark, and the index is built anew from what stays. A call after one that
        was killed goes on with it.

        Parameters
        ----------
        document : str or iterable of str
            Ids.
        person : str
            The name of a token or a sign-in, or the whole name that conversations are kept under.
        progress : Progress
        cancel : Cancel, optional
            Looked at before anything is removed; not afterwards.

        Raises
        ------
        CallError
            A document is still in its source; nothing is removed then.
        YonderError
            A source cannot be read, or what is kept is damaged.
        """
        self._only_the_owner("purge")
        ids = [document] if isinstance(document, str) else list(document)
        with self._before() as before:
            if ids and before is not None:
                self._check_gone(ids, before, progress, cancel or NeverCancel())
            return self._purge(ids, person, before, progress)

    def gather_and_purge(
        self, *, progress: Progress = no_progress, cancel: Cancel | None = None
    ) -> tuple[GatherReport, PurgeReport]:
        """Gather, and purge every document that is no longer in its source.

        Parameters
        ----------
        progress, cancel
            As for `gather`.
        """
        with self._before() as before:
            report = self.gather(progress=progress, cancel=cancel)
            gone = set(_ids(before)) - set(_ids(self._now()))
            return report, self._purge(sorted(gone), "", before, progress)

    def sweep(self, now: datetime | None = None) -> Mapping[str, int]:
        """Remove what is older than ``[retention]`` says, by the name of each store.

        Parameters
        ----------
        now : datetime, optional

        Raises
        ------
        YonderError
            One of the stores is damaged; the others are swept before that is told.
        """
        now = now or datetime.now(UTC)
        swept = {}
        damaged: YonderError | None = None
        for store in self.stores():
            age = getattr(self.settings.retention, store.name, "")
            if age or store.name in ("served", "sessions"):
                before = now - (parse_duration(age) if age else _SERVED)
                try:
                    count = store.expire(before)
                except YonderError as error:
                    damaged = damaged or error
                    continue
                if count:
                    swept[store.name] = count
        if damaged is not None:
            raise damaged
        return swept

    def backup(self, path: str | Path) -> Path:
        """Copy all that cannot be made again into one file, while everything runs.

        That is the settings, prompts and question set, the index, conversations, notes, traces,
        feedback, grades, costs and access tokens; not the documents themselves. See `restore`.

        Parameters
        ----------
        path : str or Path
            A tar archive, compressed with gzip; it is there whole or not at all.

        Raises
        ------
        CallError
            The file is there already.
        YonderError
            What is kept is damaged, or a gather is writing the index.
        """
        self._only_the_owner("back up")
        from .backup import write_backup

        return write_backup(self.folder, self.state, self.stores(), Path(path))

    @contextmanager
    def _before(self) -> Iterator[Snapshot | None]:
        """The index as it is now, kept open whatever is gathered meanwhile."""
        with ExitStack() as stack:
            try:
                yield stack.enter_context(self._index.reading())
            except NothingGatheredError:
                yield None

    def _now(self) -> Snapshot | None:
        try:
            return self._index.newest()
        except NothingGatheredError:
            return None

    def _check_gone(
        self, ids: Collection[str], before: Snapshot, progress: Progress, cancel: Cancel
    ) -> None:
        """Gather the sources of documents; refuse those that are still there."""
        from .gathering import REBUILD_LOCK, alone_with, wait_for_gather

        there = [id_ for id_ in ids if before.document_row(id_) is not None]
        named = {one.name for one in self.settings.source}
        concerned = sorted({id_.partition("/")[0] for id_ in there} & named)
        while concerned:
            try:
                with alone_with(self.state, REBUILD_LOCK):  # no other index comes in between
                    self.gather(
                        sources=concerned, allow_empty=True, progress=progress, cancel=cancel
                    )
                break
            except IndexStateError as error:
                if not wait_for_gather(self.state, cancel):
                    raise error from None
        left = set(_ids(self._now()))
        for id_ in there:
            if id_.partition("/")[0] in named and id_ in left:
                raise CallError(
                    f"{id_} is still in its source", "document", "delete it there, then purge it"
                )

    def _purge(
        self, ids: Sequence[str], person: str, before: Snapshot | None, progress: Progress
    ) -> PurgeReport:
        from ..embedding.lexicon import ShippedWords
        from .gathering import GatherOrder, rebuild_without
        from .purge import PurgeWork, purge

        common = ShippedWords()
        order = GatherOrder(progress=progress)

        def rebuild(gone: Collection[str]) -> None:
            self.close()
            rebuild_without(self.folder, self.state, self.settings, order, gone)
            self.close()

        work = PurgeWork(
            self.state,
            self.stores(),
            self._conversation_store.of_person,
            before,
            rebuild,
            lambda word: word.isalpha() and word in common,
        )
        return purge(work, ids, person)


def _ids(snapshot: Snapshot | None) -> list[str]:
    if snapshot is None:
        return []
    return list(snapshot.ids(snapshot.live_rows()).values())
