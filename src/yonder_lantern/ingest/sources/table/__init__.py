"""Tables as sources: a row becomes a document.

In: a file or a database query. Out: items whose text a template makes of a row.
`rows` reads files, `database` asks databases, `source` makes the items.
"""

from .table_source import TableSource

__all__ = ["TableSource"]
