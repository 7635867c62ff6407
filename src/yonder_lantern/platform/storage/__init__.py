"""Files, mapped arrays, records and locks that survive being interrupted, and show damage.

In: bytes, arrays and JSON objects. Out: files that are wholly there or not at all, private to
their user, whose damage is an error. This package knows nothing of documents or of what the
arrays mean.
"""

from .arrays import Array, CheckedArray, StoredArray, checked_array, distinct, map_array, save_array
from .child_processes import die_with_parent
from .databases import is_damage, set_aside
from .files import (
    REBUILD,
    open_private,
    private_folder,
    replace_bytes,
    sync_folder,
    whole_folder,
    write_bytes,
)
from .locks import FileLock
from .records import append_record, read_records, read_sealed, sealed, unsealed
from .sql_sessions import Row, Run, SqlSessions, Tables, postgres_sessions, sqlite_sessions
from .term_table import TermTable, byte_order

__all__ = [
    "REBUILD",
    "Array",
    "CheckedArray",
    "FileLock",
    "Row",
    "Run",
    "SqlSessions",
    "StoredArray",
    "Tables",
    "TermTable",
    "append_record",
    "byte_order",
    "checked_array",
    "die_with_parent",
    "distinct",
    "is_damage",
    "map_array",
    "open_private",
    "postgres_sessions",
    "private_folder",
    "read_records",
    "read_sealed",
    "replace_bytes",
    "save_array",
    "sealed",
    "set_aside",
    "sqlite_sessions",
    "sync_folder",
    "unsealed",
    "whole_folder",
    "write_bytes",
]
