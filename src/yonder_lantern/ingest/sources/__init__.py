"""A configured place → the items it holds.

In: a source's settings and its surroundings. Out: `Item` values, each with a
key, a way to read its bytes, and what can be known of it without reading. A
source knows nothing of passages or the index. Other packages add kinds through
the entry point group ``yonder_lantern.sources``.
"""

from .held import HeldItem, HeldSource
from .source import Source, SourceContext, SourceKind, kind_of, open_source

__all__ = [
    "HeldItem",
    "HeldSource",
    "Source",
    "SourceContext",
    "SourceKind",
    "kind_of",
    "open_source",
]
