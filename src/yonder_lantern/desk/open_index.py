"""The index of a desk, open: always its newest generation, whoever gathered it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

from ..core import ClosedError, NothingGatheredError
from ..embedding import EmbeddingContext
from ..index import PassageReading, Snapshot, manifest_mark, open_snapshot


class OpenIndex:
    """Opens the newest generation when it is asked for one, and closes the one before.

    Parameters
    ----------
    folder : Path
    context : callable
        What the index's embedding may use.
    reading : callable
        What the reading model says of a generation's passages; None where it is not used.
    """

    def __init__(
        self,
        folder: Path,
        context: Callable[[], EmbeddingContext],
        reading: Callable[[Snapshot], PassageReading | None],
    ) -> None:
        self._folder = folder
        self._context = context
        self._reading = reading
        self._snapshot: Snapshot | None = None
        self._mark: tuple[int, ...] | None = None
        self._lock = threading.Lock()

    def newest(self) -> Snapshot:
        """The newest generation; it stays open until there is a newer one, or `close`.

        Raises
        ------
        IndexStateError
            Nothing has been gathered, or the index is damaged.
        """
        with self._lock:
            mark = manifest_mark(self._folder)
            if self._snapshot is None or mark != self._mark:
                fresh = open_snapshot(self._folder, self._context())
                if not fresh.live_rows():
                    fresh.close()
                    raise NothingGatheredError(
                        "the index is empty: no document has been gathered",
                        str(self._folder),
                        "put documents into the sources, and gather: yonder gather",
                    )
                fresh.open_reading = self._reading
                if self._snapshot is not None:
                    self._snapshot.close()
                self._snapshot, self._mark = fresh, mark
            return self._snapshot

    @contextmanager
    def reading(self) -> Iterator[Snapshot]:
        """The newest generation, which stays open while it is read, whatever is gathered."""
        with ExitStack() as stack:
            while True:
                snapshot = self.newest()
                try:
                    stack.enter_context(snapshot.held())
                    break
                except ClosedError:  # a gather began just now: take the next one
                    continue
            yield snapshot

    def close(self) -> None:
        """Give back what is held open, once the questions under way are answered."""
        with self._lock:
            if self._snapshot:
                self._snapshot.close()
                self._snapshot = None
