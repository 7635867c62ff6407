"""Items → documents, prepared for the index, in processes of their own.

In: items and their bytes. Out: documents with their passages and terms, or why
there is none. `readers` is the side that asks, `process` the one that answers;
nothing is imported here, so that the latter starts fast.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use

if TYPE_CHECKING:
    from .messages import Read
    from .processes import Readers, Reading

__all__ = [
    "Read",
    "Readers",
    "Reading",
]
__getattr__ = on_first_use(
    __name__,
    {
        "processes": ["Readers", "Reading"],
        "messages": ["Read"],
    },
)
