"""A configured place → the items it holds.

In: a source's settings and its surroundings. Out: `Item` values, each with a
key, a way to read its bytes, and what can be known of it without reading. A
source knows nothing of passages or the index. Other packages add kinds through
the entry point group ``yonder_lantern.sources``.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .held import HeldItem, HeldSource
from .source import Source, SourceContext, SourceKind, kind_of, open_source

if TYPE_CHECKING:
    from .folder import FolderSource, glob_pattern
    from .git import remote_refs
    from .recording import SUFFIXES
    from .service_cache import Copy, ServiceCache

__all__ = [
    "SUFFIXES",
    "Copy",
    "FolderSource",
    "HeldItem",
    "HeldSource",
    "ServiceCache",
    "Source",
    "SourceContext",
    "SourceKind",
    "glob_pattern",
    "kind_of",
    "open_source",
    "remote_refs",
]
__getattr__ = on_first_use(
    __name__,
    {
        "folder": ["FolderSource", "glob_pattern"],
        "git": ["remote_refs"],
        "service_cache": ["Copy", "ServiceCache"],
        "recording": ["SUFFIXES"],
    },
)
