"""Yonder Lantern: answers from an organisation's own documents, with citations to check.

>>> from yonder_lantern import Desk
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .desk import Desk
    from .records import (
        Answer,
        Citation,
        Cited,
        Finished,
        GatherReport,
        Hit,
        Piece,
        Query,
        Withdrawn,
        YonderError,
    )

__version__ = "0.1.0"
__all__ = [
    "Answer",
    "Citation",
    "Cited",
    "Desk",
    "Finished",
    "GatherReport",
    "Hit",
    "Piece",
    "Query",
    "Withdrawn",
    "YonderError",
    "__version__",
]


def __getattr__(name: str) -> Any:
    """Import on first use, so that ``import yonder_lantern`` alone costs nothing."""
    if name == "Desk":
        from .desk import Desk

        return Desk
    if name in __all__:
        from . import records

        return getattr(records, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
