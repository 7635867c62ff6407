"""What the reading model says of the passages of one generation: kept, or read now."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Sequence
from functools import cached_property, partial
from pathlib import Path

import numpy as np

from ..core import Cancel, NeverCancel, Progress, no_progress
from ..embedding import VectorCache
from ..index import ReadingVectors, Snapshot
from ..platform.storage import Array, FileLock
from .adaptation import Adaptation
from .reading_model import ReadingModel

_AT_ONCE = 2048  # passages whose texts are held at a time
_LOCK = "reading.lock"
_KEPT_AS = "<f2"
_LOG = logging.getLogger("yonder_lantern.reading")


class ReadPassages:
    """The vectors of the passages of one generation, and of questions about them.

    Parameters
    ----------
    snapshot : Snapshot
    model : ReadingModel
    state : Path
        The desk's, for the vectors of passages that were read before.
    adaptation : Adaptation, optional
        How questions move on this desk.
    """

    def __init__(
        self,
        snapshot: Snapshot,
        model: ReadingModel,
        state: Path,
        adaptation: Adaptation | None = None,
    ) -> None:
        self._model = model
        self._adaptation = adaptation
        self._vectors: ReadingVectors = snapshot.reading_vectors(model.hash, model.dimensions)
        self._state = state
        self._question: tuple[str, Array] | None = None

    @property
    def model(self) -> str:
        """The model's hash."""
        return self._model.hash

    def question(self, text: str) -> Array:
        """The unit vector of a question, float32, moved as this desk's adaptation says."""
        vector = self.vector(text)
        return vector if self._adaptation is None else self._adaptation.moved(vector)

    def vector(self, text: str) -> Array:
        """The unit vector of a text, float32."""
        last = self._question  # what is asked is often searched for again, in the same words
        if last is None or last[0] != text:
            last = self._question = text, self._model.vectors([text])[0]
        return last[1]

    def counts(self) -> tuple[int, int]:
        """How many passages were looked at, and how many there are."""
        return self._vectors.counts()

    def kept(self, passages: Array) -> Array:
        """The vectors of passages that are kept, float32; zeros where there is none."""
        return self._vectors.rows(passages)

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector, of those kept."""
        return self._vectors.nearest(vector, limit, allowed)

    def read(self, passages: Array) -> Array:
        """The vectors of passages, float32, read now where they were not; zeros where it cannot."""
        found = self._vectors.rows(passages)
        missing = np.flatnonzero(~self._vectors.looked_at(passages))
        if len(missing):
            found[missing] = self._read(passages[missing], self._kept_or_not)
        return found

    def _read(self, passages: Array, vectors: Callable[[Sequence[str]], Array]) -> Array:
        """The vectors of passages, worked out in some way; zeros for other languages."""
        found = np.zeros((len(passages), self._model.dimensions), dtype=np.float32)
        texts = self._vectors.texts(passages)
        readable = [at for at, (language, _) in enumerate(texts) if self._model.reads(language)]
        found[readable] = vectors([texts[at][1] for at in readable])
        return found

    @cached_property
    def _cache(self) -> VectorCache:
        name = f"reading-{self._model.hash}"
        return VectorCache(self._state / "vectors", name, self._model.dimensions, _KEPT_AS)

    def _kept(self, texts: Sequence[str], progress: Progress, cancel: Cancel) -> Array:
        """The vectors of texts, kept for the next time."""
        return self._cache.vectors(texts, self._model.vectors, progress, cancel)

    def _kept_or_not(self, texts: Sequence[str]) -> Array:
        """The same, also where nothing can be written: a full disk, or a reader's own rights."""
        try:
            return self._kept(texts, no_progress, NeverCancel())
        except (OSError, sqlite3.Error) as error:
            _LOG.warning("what the reading model reads cannot be kept: %s", error)
            return self._model.vectors(texts).astype(_KEPT_AS).astype(np.float32)

    def fill(
        self, folder: Path, most: int | None, progress: Progress, cancel: Cancel
    ) -> tuple[int, int]:
        """Read passages that were not read; how many are now, and how many there are.

        What was read before an interruption stays. Where another process does the same, nothing
        is done here.

        Parameters
        ----------
        folder : Path
            Of the index.
        most : int or None
            How many passages at most; None reads all.
        progress, cancel
        """
        lock = FileLock(folder / _LOCK, shared=False)
        if not lock.take():
            return self.counts()
        try:
            parts = self._unread(most)
            total, done = sum(map(len, parts)), 0
            for part in parts:
                told = _further(progress, done, total)
                read = partial(self._kept, progress=told, cancel=cancel)
                self._vectors.put(part, self._read(part, read))
                done += len(part)
            if done:
                self._vectors.told()
            return self.counts()
        finally:
            lock.release()

    def _unread(self, most: int | None) -> list[Array]:
        """Passages that were not read, at most so many, a few of one segment together."""
        parts = []
        left = self.counts()[1] if most is None else most
        for unread in self._vectors.unread():
            taken = unread[:left]
            left -= len(taken)
            parts += [taken[at : at + _AT_ONCE] for at in range(0, len(taken), _AT_ONCE)]
        return parts


def _further(progress: Progress, begun: int, whole: int) -> Progress:
    """Progress of a part of the work, told as that of the whole."""

    def told(step: str, done: int, total: int | None, item: str = "") -> None:  # noqa: ARG001
        progress("reading passages", begun + done, whole, item)

    return told
