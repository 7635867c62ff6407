"""An item's bytes → canonical text, outline and the way back to the original.

In: bytes and a file name. Out: a `Parsed`, or a `FormatError` with the reason.
A format knows nothing of where the bytes came from, of passages or of the
index. Other packages add formats through the entry point group
``yonder_lantern.formats``.
"""

from .format import Format
from .read_document import read_document, version_of
from .registry import Formats, suffix_of

__all__ = ["Format", "Formats", "read_document", "suffix_of", "version_of"]
