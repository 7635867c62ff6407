"""Files, mapped arrays and locks that survive being interrupted.

In: bytes and arrays. Out: files that are wholly there or not at all. This
package knows nothing of documents or of what the arrays mean.
"""

from .files import (
    REBUILD,
    Array,
    append_line,
    map_array,
    replace_bytes,
    save_array,
    sync_folder,
    whole_folder,
    write_bytes,
)
from .locks import FileLock
from .term_table import TermTable, byte_order

__all__ = [
    "REBUILD",
    "Array",
    "FileLock",
    "TermTable",
    "append_line",
    "byte_order",
    "map_array",
    "replace_bytes",
    "save_array",
    "sync_folder",
    "whole_folder",
    "write_bytes",
]
