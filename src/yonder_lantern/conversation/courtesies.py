"""Telling greetings, thanks and questions about the assistant from questions to documents."""

from __future__ import annotations

import re

_OPENING = r"(?:(?:hi|hello|hey|ok|okay|so|well|hallo|bonjour|salut)\b[\s,!.]*)?"
_KINDS: tuple[tuple[str, str], ...] = (
    (
        "identity",
        r"(?:who|what) are you|what is your name|what's your name|are you (?:a |an )?(?:bot|robot|"
        r"human|person|machine|ai|computer)|who am i (?:talking|speaking|chatting) (?:to|with)|"
        r"introduce yourself|wer bist du|wer sind sie|qui (?:es-tu|êtes-vous)",
    ),
    (
        "help",
        r"help(?: me)?(?: please)?|what can (?:you|i) (?:do|ask|ask you|ask about)(?: here)?|"
        r"what (?:do|can) you (?:do|know|help with|answer)(?: about)?|how (?:do|does) (?:you|this) "
        r"work|what is this|(?:can|could) you help(?: me)?|how can you help(?: me)?|hilfe|"
        r"was kannst du|was können sie|aide|que peux-tu faire|que pouvez-vous faire",
    ),
    (
        "thanks",
        r"(?:many |a lot of )?thanks?(?: you)?(?: (?:so|very) much| a lot| again)?|thank you|thx|"
        r"cheers|much appreciated|(?:that|this) (?:helps|helped|was helpful)|"
        r"(?:great|perfect|wonderful|good|nice)(?:,? (?:thanks?|thank you))?|"
        r"(?:vielen |besten )?dank|danke(?: schön| sehr)?|merci(?: beaucoup)?",
    ),
    (
        "farewell",
        r"(?:good ?)?bye(?: bye)?|see you(?: later| soon)?|good night|take care|"
        r"auf wiedersehen|tschüss|au revoir|à bientôt",
    ),
    (
        "greeting",
        r"hi|hello|hey|hiya|howdy|good (?:morning|day|afternoon|evening)|greetings|"
        r"how are you(?: doing)?(?: today)?|how do you do|"
        r"hallo|guten (?:morgen|tag|abend)|moin|servus|bonjour|bonsoir|salut",
    ),
)
_LONGEST = 60  # characters
_TO_SOMEBODY = r"(?:[\s,]+(?:there|all|everybody|everyone|again|team|please))*"
_COMPILED = [
    (kind, re.compile(rf"\s*{_OPENING}(?:{form}){_TO_SOMEBODY}[\s.!?]*", re.IGNORECASE))
    for kind, form in _KINDS
]


def courtesy_of(text: str) -> str:
    """What a text is, if it asks nothing of the documents.

    Returns
    -------
    str
        ``greeting``, ``thanks``, ``farewell``, ``help`` or ``identity``; empty for a question.

    Examples
    --------
    >>> [courtesy_of(one) for one in ("Hello there!", "Thank you very much.", "What can you do?")]
    ['greeting', 'thanks', 'help']
    >>> courtesy_of("Hello, when does the quay close?"), courtesy_of("What helps against rust?")
    ('', '')
    """
    if len(text) > _LONGEST:
        return ""
    return next((kind for kind, form in _COMPILED if form.fullmatch(text)), "")
