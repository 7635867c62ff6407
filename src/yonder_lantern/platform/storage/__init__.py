"""Files, mapped arrays, records and locks that survive being interrupted, and show damage.

In: bytes, arrays and JSON objects. Out: files that are wholly there or not at all, private to
their user, whose damage is an error. This package knows nothing of documents or of what the
arrays mean.
"""

from .arrays import Array, CheckedArray, StoredArray, checked_array, distinct, map_array, save_array
from .child_processes import die_with_parent
from .databases import copy_database, is_damage, rewrite_database, set_aside
from .files import (
    REBUILD,
    open_private,
    private_folder,
    replace_bytes,
    sync_folder,
    whole_folder,
    write_bytes,
)
from .kept_files import check_kept, forget_kept, note_kept
from .locks import FileLock
from .records import (
    append_record,
    copy_records,
    read_records,
    read_sealed,
    rewrite_records,
    sealed,
    unsealed,
)
from .sql_sessions import (
    CopiedTables,
    Row,
    Run,
    SqlSessions,
    Tables,
    postgres_sessions,
    sqlite_sessions,
)
from .term_table import TermTable, byte_order

__all__ = [
    "REBUILD",
    "Array",
    "CheckedArray",
    "CopiedTables",
    "FileLock",
    "Row",
    "Run",
    "SqlSessions",
    "StoredArray",
    "Tables",
    "TermTable",
    "append_record",
    "byte_order",
    "check_kept",
    "checked_array",
    "copy_database",
    "copy_records",
    "die_with_parent",
    "distinct",
    "forget_kept",
    "is_damage",
    "map_array",
    "note_kept",
    "open_private",
    "postgres_sessions",
    "private_folder",
    "read_records",
    "read_sealed",
    "replace_bytes",
    "rewrite_database",
    "rewrite_records",
    "save_array",
    "sealed",
    "set_aside",
    "sqlite_sessions",
    "sync_folder",
    "unsealed",
    "whole_folder",
    "write_bytes",
]
