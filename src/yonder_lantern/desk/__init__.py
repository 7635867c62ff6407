"""The one object that wires the steps together.

In: a folder with ``yonder.toml``. Out: a `Desk` with the verbs gather, find,
ask, talk and grade. Interfaces stand on this package; it knows none of them.
"""

from .desk import Desk

__all__ = ["Desk"]
