"""A document → passages, and the context header each is indexed with.

In: a `Document` and two sizes in tokens. Out: `Passage` spans in reading order.
This package knows nothing of the index, of vectors or of questions.
"""

from .context_header import context_header
from .cut import cut
from .cut_as_set import cut_as_set

__all__ = ["context_header", "cut", "cut_as_set"]
