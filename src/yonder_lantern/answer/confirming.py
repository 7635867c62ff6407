"""Questions that ask for yes or no: the sentence that decides is said first, with no word of ours.

What a sentence decides cannot be told from its words alone: of three verdicts in a hundred such
questions, each was luck. The reader is shown the sentence.
"""

from __future__ import annotations

import re

_ASKS = re.compile(
    r"^\W*(?:(?:and|so|und|et)\s+)?(?:is|are|was(?! (?:ist|sind|kostet|macht|heißt|bedeutet|tun))"
    r"|were|do|does|did|can|could|may|must|should|shall|will|would|has|have|had|am"
    r"|ist|sind|war|waren|darf|dürfen|kann|können|muss|müssen|soll|sollen|hat|haben|wird|werden"
    r"|gibt es|est-ce qu['’e]|peut-on|puis-je|doit-on|dois-je|faut-il|y a-t-il|a-t-on)\b",
    re.IGNORECASE,
)
_CHOICE = re.compile(r"\b(?:or|oder|ou)\b", re.IGNORECASE)  # neither yes nor no answers it


def asks_to_confirm(question: str) -> bool:
    """Whether a question asks for yes or no.

    Examples
    --------
    >>> asks_to_confirm("May dogs come ashore?"), asks_to_confirm("Darf man hier angeln?")
    (True, True)
    >>> asks_to_confirm("Who may come ashore?"), asks_to_confirm("Is it red or green?")
    (False, False)
    """
    return bool(_ASKS.match(question)) and not _CHOICE.search(question)
