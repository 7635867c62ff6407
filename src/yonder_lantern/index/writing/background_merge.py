"""Merging the smallest segments beside a gather, so that finding looks at few."""

from __future__ import annotations

import logging
import shutil
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import cast

from ...core import IndexStateError
from ..manifest import EmbeddingEntry
from ..open_segment import OpenSegment
from ..passage_vectors import Form, load_vectors, save_vectors, vectors_path
from ..segment import Segment
from .merge_segments import merge_segments

_LOG = logging.getLogger("yonder_lantern.index")


class BackgroundMerge(threading.Thread):
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
