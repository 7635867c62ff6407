"""Vectors that the user brings, keyed by passage or by document."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from ..core import IndexStateError, SettingsError, optional
from ..platform.storage import Array
from ..settings import EmbeddingSettings
from .method import EmbeddingContext, PassageSet, Span
from .saved import load_description, save_description
from .spherical import unit_rows

_LOG = logging.getLogger("yonder_lantern.embedding")


def passage_key(document: str, start: int, end: int) -> str:
    """How a passage is named in a file of vectors: ``document#start-end``."""
    return f"{document}#{start}-{end}"


class FixedMethod:
    """The method ``fixed``: a file holds a vector for each passage or each document."""

    learns = False
    languages = ()
    lexical_weight = 0.5
    other_lexical_weight = 0.5
    longest = 0

    def __init__(self, settings: EmbeddingSettings, context: EmbeddingContext) -> None:
        if not settings.vectors:
            raise SettingsError(
                "the method `fixed` needs a file of vectors",
                "embedding.vectors",
                "name a .npz or .parquet file with `keys` and `vectors`",
            )
        self._path = context.desk / Path(settings.vectors).expanduser()
        try:
            status = self._path.stat()
        except OSError:
            raise SettingsError(
                "there is no such file", f"embedding.vectors: {self._path}", "fix the path"
            ) from None
        self.spec: dict[str, Any] = {
            "method": "fixed",
            "vectors": settings.vectors,
            "file": [status.st_size, status.st_mtime_ns],
        }

    def make(self, passages: PassageSet) -> FixedVectors:  # noqa: ARG002
        """The vectors of the file."""
        made = FixedVectors.read(self._path)
        made.described = {"dimensions": made.dimensions, "vectors": self.spec["vectors"]}
        return made

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> FixedVectors:
        """What an index was made with; the file is read again only for new passages."""
        saved = load_description(folder)
        none = np.zeros((0, int(saved["dimensions"])), np.float32)
        found = FixedVectors({}, none, folder.name)
        found.file = context.desk / Path(saved["vectors"]).expanduser()
        return found


class FixedVectors:
    """Vectors by key. A question has none, unless the caller brings it.

    Attributes
    ----------
    file : Path or None
        Where they are still to be read from, when a passage is asked for.
    described : dict
        What is kept of them with an index.
    """

    method = "fixed"
    reads_terms = False

    def __init__(self, positions: Mapping[str, int], vectors: Array, hash_: str) -> None:
        self._positions = positions
        self._vectors = vectors
        self.hash = hash_
        self.dimensions = int(vectors.shape[1])
        self.file: Path | None = None
        self.described: dict[str, Any] = {}
        self._met = False  # whether a passage was among the keys

    @classmethod
    def read(cls, path: Path) -> FixedVectors:
        """Read a file: ``keys`` and ``vectors``, as NumPy's ``.npz`` or as Parquet.

        Raises
        ------
        SettingsError
            It cannot be read, or is not of that form.
        """
        try:
            keys, vectors = _parquet(path) if path.suffix == ".parquet" else _npz(path)
        except SettingsError:
            raise
        except Exception as error:  # the readers of both forms raise many kinds
            raise SettingsError(
                f"its vectors cannot be read: {type(error).__name__}: {error}",
                f"embedding.vectors: {path}",
                "make a .npz or .parquet file with `keys` and `vectors`",
            ) from None
        if vectors.ndim != 2 or len(keys) != len(vectors) or not np.isfinite(vectors).all():
            raise SettingsError(
                f"{len(keys)} keys and vectors of shape {vectors.shape} do not fit, or some are "
                "no numbers",
                f"embedding.vectors: {path}",
                "give one row of finite numbers for each key",
            )
        unit = unit_rows(vectors.astype(np.float64)).astype(np.float32)
        digest = hashlib.sha256("\n".join(keys).encode("utf-8", "surrogatepass"))
        digest.update(unit.tobytes())
        positions = {key: at for at, key in enumerate(keys)}
        return cls(positions, unit, digest.hexdigest()[:16])

    def passages(self, passages: PassageSet) -> Array:
        """The vectors of passages: each one's own, else its document's, else zeros.

        Raises
        ------
        SettingsError
            The file has a vector for none of the passages: its keys are of another kind.
        IndexStateError
            It is not the file the index was made with any more.
        """
        if self.file is not None:
            read = FixedVectors.read(self.file)
            if read.hash != self.hash:
                raise IndexStateError(
                    "the file of vectors is not the one the index was made with",
                    str(self.file),
                    "gather again: the passages then get their vectors anew",
                )
            self._positions, self._vectors, self.file = read._positions, read._vectors, None
            self._met = True  # earlier passages were
        positions = np.array([self._location(span) for span in passages.spans()], dtype=np.int64)
        found = np.zeros((len(positions), self.dimensions), dtype=np.float32)
        found[positions >= 0] = self._vectors[positions[positions >= 0]]
        without = int((positions < 0).sum())
        self._met = self._met or without < len(positions)
        if not self._met and len(positions):
            raise SettingsError(
                "the file has a vector for none of the passages",
                "embedding.vectors",
                "its keys are ids of documents, or document#start-end as `yonder export` writes",
            )
        if without:
            _LOG.warning("%d of %d passages have no vector in the file", without, len(positions))
        return found

    def _location(self, span: Span) -> int:
        position = self._positions.get(passage_key(span.document, span.start, span.end))
        return self._positions.get(span.document, -1) if position is None else position

    def question(self, text: str, terms: Mapping[str, float]) -> Array:  # noqa: ARG002
        """Zeros: nothing here turns words into vectors."""
        return np.zeros(self.dimensions, dtype=np.float32)

    def save(self, folder: Path) -> None:
        """Keep how long the vectors are; they themselves go into the segments."""
        save_description(folder, self.hash, self.described)


def _npz(path: Path) -> tuple[list[str], Array]:
    with np.load(path, allow_pickle=False) as held:
        if "keys" not in held or "vectors" not in held:
            raise SettingsError(
                "it holds no arrays `keys` and `vectors`", f"embedding.vectors: {path}", "fix it"
            )
        return [str(key) for key in held["keys"]], np.asarray(held["vectors"], dtype=np.float32)


def _parquet(path: Path) -> tuple[list[str], Array]:
    table = optional("pyarrow.parquet", "parquet", "Parquet files").read_table(path)
    if "vector" not in table.column_names or "key" not in table.column_names:
        raise SettingsError(
            "it has no columns `key` and `vector`", f"embedding.vectors: {path}", "fix it"
        )
    rows: Iterable[Any] = table.column("vector").to_pylist()
    return [str(key) for key in table.column("key").to_pylist()], np.array(
        list(rows), dtype=np.float32
    )
