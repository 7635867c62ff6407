"""A text → the text as the house rules leave it, or the words that decline it.

In: a text or a `Parsed`, and the desk's rules. Out: the same with what must not be seen
masked or dropped, place for place, so that every offset still holds. This package knows
nothing of who asks, searches or answers.
"""

from .access_tokens import RIGHTS, AccessToken, AccessTokens
from .embedding_context import embedding_context
from .openid import Identity, OpenId
from .patterns import ready_pattern
from .redaction import Redaction
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
from .sign_in import SESSION_HOURS, Session, SignIns
from .signatures import is_secret, is_signed, signed
from .usage import Usage

__all__ = [
    "MASK",
    "RIGHTS",
    "SESSION_HOURS",
    "AccessToken",
    "AccessTokens",
    "Applied",
    "HouseRules",
    "Identity",
    "OpenId",
    "Redaction",
    "Session",
    "SignIns",
    "Usage",
    "as_sent",
    "declined",
    "embedding_context",
    "fields_with_their_words",
    "held_back",
    "is_secret",
    "is_signed",
    "ready_pattern",
    "revised",
    "revised_fields",
    "signed",
    "with_their_words",
]
