"""A configured place → the items it holds.

In: a source's settings and the desk's folder. Out: `Item` values, each with a
key, a way to read its bytes, and what can be known of it without reading. A
source knows nothing of formats, passages or the index.
"""

from .folder import FolderSource
from .protocol import Source, open_source

__all__ = ["FolderSource", "Source", "open_source"]
