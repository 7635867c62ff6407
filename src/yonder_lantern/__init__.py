"""Yonder Lantern: answers from an organisation's own documents, with citations to check.

>>> from yonder_lantern import Desk
"""

from typing import TYPE_CHECKING, Any

from .version import __version__

if TYPE_CHECKING:
    from .core import (
        Answer,
        Article,
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
    from .desk import Desk
    from .interface.asynchronous import AsyncDesk

__all__ = [
    "Answer",
    "Article",
    "AsyncDesk",
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
    if name == "AsyncDesk":
        from .interface.asynchronous import AsyncDesk

        return AsyncDesk
    if name in __all__:
        from . import core

        return getattr(core, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
