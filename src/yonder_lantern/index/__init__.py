"""Passages and vectors → immutable segments on disk, and back.

In: documents, their passages, and an embedding. Out: a generation that readers
open and see unchanged for as long as they like. This package knows nothing of
where documents come from or how hits are scored.

On disk, below ``.yonder/index``:

``manifest.json``
    Names one generation: its segments, deletions, embedding. Replaced atomically.
``documents.sqlite``
    Document rows, append-only, each with the generation that added it and the
    one that removed it; and what is known of every item gathered.
``segments/NAME/``
    Immutable arrays: terms, postings, lengths, passage spans, documents.
``vectors/NAME.EMBEDDING/``, ``embeddings/EMBEDDING/``
    The vectors of a segment under one embedding, and that embedding.
``vectors/NAME.reading-MODEL/``, ``reading.mark``
    The vectors a reading model gave a segment, filled in later; and when some were.
``deletions/NAME.GENERATION.npy``
    Which documents of a segment are gone as of a generation.
``leases/GENERATION``
    Locked by the readers of a generation; what it needs is swept later.

`open_writer` is loaded when it is first used, so that readers need not.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use
from ..ingest.preparation import Prepared
from .columns import Column, MetadataColumns
from .layout import Layout, put_aside
from .manifest import FORMAT, Manifest
from .passage_columns import PassageColumns, Postings
from .passage_vectors import top
from .reader import Snapshot, manifest_mark, open_snapshot
from .reader_and_writer import IndexReader, IndexRecords, IndexWriter, PassageReading
from .reading_vectors import ReadingVectors
from .segment import NEVER, Segment
from .store import DocumentStore, KnownItem, KnownSource, metadata_of

if TYPE_CHECKING:
    from .passage_set import TrainingPassages, label_to_learn_from
    from .writing import copy_index, open_writer

__all__ = [
    "FORMAT",
    "NEVER",
    "Column",
    "DocumentStore",
    "IndexReader",
    "IndexRecords",
    "IndexWriter",
    "KnownItem",
    "KnownSource",
    "Layout",
    "Manifest",
    "MetadataColumns",
    "PassageColumns",
    "PassageReading",
    "Postings",
    "Prepared",
    "ReadingVectors",
    "Segment",
    "Snapshot",
    "TrainingPassages",
    "copy_index",
    "label_to_learn_from",
    "manifest_mark",
    "metadata_of",
    "open_snapshot",
    "open_writer",
    "put_aside",
    "top",
]
__getattr__ = on_first_use(
    __name__,
    {
        "writing": ["copy_index", "open_writer"],
        "passage_set": ["TrainingPassages", "label_to_learn_from"],
    },
)
