"""Documents → the next generation of an index, published in one step or not at all.

In: prepared documents, and which are gone. Out: segments, vectors, topics and a manifest on
disk. One writer at a time; readers see the generation before until `IndexWriter.publish` ends.
"""

from .copy_index import copy_index
from .writer import open_writer

__all__ = ["copy_index", "open_writer"]
