"""Document rows and what is known of every item, in SQLite: each statement stands here, once.

In: documents, items and sources. Out: the same by row, id, name or generation. This package
knows nothing of segments, vectors or scores.
"""

from .abbreviations import AbbreviationTable, Seen
from .documents import DocumentTable
from .items import ItemTable, KnownItem, KnownSource
from .metadata import MetadataTable
from .packing import metadata_of


class DocumentStore(DocumentTable, ItemTable, AbbreviationTable, MetadataTable):
    """The store of one index folder. See `Database` and the tables for what it does."""


__all__ = ["DocumentStore", "KnownItem", "KnownSource", "Seen", "metadata_of"]
