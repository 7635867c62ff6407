"""A text → the text as the house rules leave it, or the words that decline it.

In: a text or a `Parsed`, and the desk's rules. Out: the same with what must not be seen
masked or dropped, place for place, so that every offset still holds. This package knows
nothing of who asks, searches or answers.
"""

from .access_tokens import AccessToken, AccessTokens
from .embedding_context import embedding_context
from .patterns import ready_pattern
from .revise_answers import (
    as_sent,
    declined,
    fields_with_their_words,
    held_back,
    revised,
    revised_fields,
    with_their_words,
)
from .rules import MASK, Applied, HouseRules

__all__ = [
    "MASK",
    "AccessToken",
    "AccessTokens",
    "Applied",
    "HouseRules",
    "as_sent",
    "declined",
    "embedding_context",
    "fields_with_their_words",
    "held_back",
    "ready_pattern",
    "revised",
    "revised_fields",
    "with_their_words",
]
