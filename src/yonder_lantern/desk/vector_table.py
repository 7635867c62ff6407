"""The vectors of an index, given out with what they are of."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np

from ..core import Caller, CallError, IndexStateError, optional
from ..embedding import passage_key
from ..index import Snapshot
from ..ingest.passages import context_header
from ..platform.storage import Array
from ..search import documents_where

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class VectorTable:
    """Passages with their vectors.

    Attributes
    ----------
    keys : tuple of str
        ``document#start-end`` of each passage; the method ``fixed`` reads them back.
    vectors : float32 array, shape (passages, dimensions)
        Of unit length.
    passages : tuple of dict
        Of each: document, title, start, end, context header, text, topic and metadata.
    """

    keys: tuple[str, ...]
    vectors: Array
    passages: tuple[dict[str, Any], ...]

    def frame(self) -> pd.DataFrame:
        """One row a passage, without the vectors."""
        import pandas as pd

        return pd.DataFrame(list(self.passages), index=pd.Index(self.keys, name="key"))

    def write(self, path: str | Path) -> None:
        """Write to a ``.npz`` file of NumPy or a ``.parquet`` file.

        Raises
        ------
        CallError
            The name ends in neither.
        """
        path = Path(path)
        write = {".npz": self._write_npz, ".parquet": self._write_parquet}.get(path.suffix)
        if write is None:
            raise CallError(
                f"vectors cannot be written as {path.suffix or path.name!r}",
                str(path),
                "name a file that ends in .npz or .parquet",
            )
        beside = path.with_name(f"{path.name}.new")  # an earlier file stays until this is whole
        try:
            with beside.open("wb") as file:
                write(file)
            beside.replace(path)
        finally:
            beside.unlink(missing_ok=True)

    def _columns(self) -> dict[str, list[Any]]:
        names = self.passages[0] if self.passages else ()
        return {name: [_plain(one[name]) for one in self.passages] for name in names}

    def _write_npz(self, file: BinaryIO) -> None:
        columns: dict[str, Any] = {
            name: np.array(column) for name, column in self._columns().items()
        }
        columns |= {"keys": np.array(self.keys), "vectors": self.vectors}
        np.savez_compressed(file, **columns)

    def _write_parquet(self, file: BinaryIO) -> None:
        arrow = optional("pyarrow", "parquet", "Parquet files")
        writer = optional("pyarrow.parquet", "parquet", "Parquet files")
        flat = arrow.array(self.vectors.ravel())
        arrays = arrow.FixedSizeListArray.from_arrays(flat, self.vectors.shape[1])
        columns = {"key": list(self.keys), "vector": arrays, **self._columns()}
        writer.write_table(arrow.table(columns), file)


def _plain(value: Any) -> Any:
    return json.dumps(value, ensure_ascii=False, default=str) if isinstance(value, dict) else value


def table_of_vectors(snapshot: Snapshot, caller: Caller, where: str) -> VectorTable:
    """The vectors of the passages that a caller may see and a filter lets through."""
    if snapshot.embedding_entry is None:
        raise IndexStateError(
            "the index has no vectors: there is too little text to learn from",
            "",
            "gather more, or use another embedding.method",
        )
    fits = snapshot.visible_documents(caller, caller.at())
    if where:
        fits = fits & documents_where(where, snapshot.columns, snapshot.document_count, fits)
    numbers = np.flatnonzero(snapshot.passages_of(fits))
    columns = snapshot.passages(numbers)
    rows = snapshot.rows_of(columns.document).tolist()
    topics = snapshot.topic_of_row
    keys, passages = [], []
    documents = dict(snapshot.each(sorted(set(rows))))
    spans = zip(
        rows, columns.start.tolist(), columns.end.tolist(), columns.block.tolist(), strict=True
    )
    for row, start, end, block in spans:
        document = documents[row]
        keys.append(passage_key(document.id, start, end))
        passages.append(
            {
                "document": document.id,
                "title": document.title,
                "start": start,
                "end": end,
                "context_header": context_header(document, block, start),
                "text": document.text[start:end],
                "topic": topics.get(row, ""),
                "metadata": dict(document.metadata),
            }
        )
    vectors = snapshot.vectors(numbers)
    if vectors is None:
        vectors = np.zeros((0, snapshot.embedding_entry.dimensions), dtype=np.float32)
    return VectorTable(tuple(keys), vectors, tuple(passages))
