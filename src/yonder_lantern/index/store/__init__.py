"""Document rows and what is known of every item, in SQLite: each statement stands here, once.

In: documents, items and sources. Out: the same by row, id, name or generation. This package
knows nothing of segments, vectors or scores.
"""

from .abbreviation_table import AbbreviationTable, Seen
from .document_table import DocumentTable
from .item_table import ItemTable, KnownItem, KnownSource
from .metadata_table import MetadataTable
from .packing import metadata_of


class DocumentStore(DocumentTable, ItemTable, AbbreviationTable, MetadataTable):
    """The store of one index folder. See `Database` and the tables for what it does."""


__all__ = ["DocumentStore", "KnownItem", "KnownSource", "Seen", "metadata_of"]
