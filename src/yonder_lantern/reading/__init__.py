"""The reading model: English questions and passages → vectors that are near where they fit.

In: texts, and the passages of a generation of the index. Out: unit vectors, kept for the next
time. A small text encoder trained by `training/reading`, run on NumPy alone. This package knows
nothing of how hits are scored.
"""

from .adaptation import Adaptation, is_adaptation
from .read_passages import ReadPassages
from .reading_model import ReadingModel, reading_model

__all__ = ["Adaptation", "ReadPassages", "ReadingModel", "is_adaptation", "reading_model"]
