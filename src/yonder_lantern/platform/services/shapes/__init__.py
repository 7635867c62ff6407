"""What a request to a server looks like and where its reply says what, one module for each shape.

In: a profile and a prompt, or texts to embed. Out: the JSON to send, and a `Part` of what came
back. The names of an exchange's fields stand here and nowhere else.
"""

from . import inputs
from .exchange import Asked, Exchange, Part
from .profiled import Profiled
from .prompt import PlainPrompt
from .roles import Roles

__all__ = [
    "Asked",
    "Exchange",
    "Part",
    "PlainPrompt",
    "Profiled",
    "Roles",
    "inputs",
    "simulated_exchanges",
]


def simulated_exchanges() -> tuple[Roles, PlainPrompt]:
    """The ready-made shapes that a simulated model server speaks."""
    return Roles(), PlainPrompt()
