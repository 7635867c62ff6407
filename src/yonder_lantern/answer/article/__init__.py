"""A longer piece about a topic: an outline, its sections, and a script of it for several voices.

In: what a search found for the topic, or a model's proposal. Out: the parts of an outline, and
answers put together under headings with one numbering. How a section is written is not known here.
"""

from .join_sections import join_sections, titled
from .outline_reply import ProposedOutline, outline_in
from .script import script_of
from .sections_about import OutlinePart, outline_of

__all__ = [
    "OutlinePart",
    "ProposedOutline",
    "join_sections",
    "outline_in",
    "outline_of",
    "script_of",
    "titled",
]
