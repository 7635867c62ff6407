"""A document and its passages → what of them goes into an index segment.

In: a `Document` and its passages. Out: a `Prepared`, worked out apart from all other documents,
so that it can be made anywhere. This package knows nothing of segments or of the store.
"""

from .prepare import Prepared, Preparer
from .signature import alike, shape_of

__all__ = ["Prepared", "Preparer", "alike", "shape_of"]
