"""The style of chosen documents: samples of it for a model, and how like it a text is.

In: texts in that style, and others. Out: a `Style`, which picks samples and gives the likeness of
a text. What is said does not count, only how.
"""

from .style import Style
from .style_marks import style_marks

__all__ = ["Style", "style_marks"]
