"""A document → passages, and the lead each is indexed with.

In: a `Document` and two sizes in tokens. Out: `Passage` spans in reading order.
This package knows nothing of the index, of vectors or of questions.
"""

from .cut import cut
from .lead import lead_of

__all__ = ["cut", "lead_of"]
