"""Yes or no, where a question asks for that and the sentence that answers it decides.

The question is read as a claim ("May dogs come ashore?": dogs come ashore). A sentence decides with
no where a part of it that has to do with the claim is denied, without an exception; with yes where
it has most of the claim's words and neither denies anything nor makes a condition.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..text import Analyser, sentences
from .check import NEGATORS, Near
from .units import Unit, explained_by

_AUXILIARIES = {
    "en": r"(?:is|are|was(?! (?:ist|sind|kostet|macht|heißt|bedeutet|tun))|were|do|does|did|can"
    r"|could|may|must|should|shall|will|would|has|have|had|am)",
    "de": r"(?:ist|sind|war|waren|darf|dürfen|kann|können|muss|müssen|soll|sollen|hat|haben|wird"
    r"|werden|gibt es)",
    "fr": r"(?:est-ce qu['’e]|peut-on|puis-je|doit-on|dois-je|faut-il|y a-t-il|a-t-on)",
}
_ASKS = {
    language: re.compile(
        rf"^\W*(?:(?:and|so|und|et)\s+)?(?P<aux>{words})\b\s*(?P<claim>.+?)\W*$",
        re.IGNORECASE | re.DOTALL,
    )
    for language, words in _AUXILIARIES.items()
}
_CHOICE = re.compile(r"\b(?:or|oder|ou)\b", re.IGNORECASE)  # neither yes nor no answers it
_DENIES = re.compile(
    rf"\b(?:{'|'.join(map(re.escape, sorted(NEGATORS)))})\b|n['’]t\b", re.IGNORECASE
)
_NO_SUCH = frozenset("no kein keine keinen keinem keiner aucun aucune".split())
_EXCEPTION = re.compile(
    r"\b(?:unless|except|without|until|but|ohne|außer|bis|sondern|sans|sauf)\b", re.IGNORECASE
)
_CONDITION = re.compile(
    r"\b(?:if|when|where|only|provided|most|usually|often|sometimes|probably|perhaps|might"
    r"|should|as long as|while|wenn|falls|nur|meist|manchmal|vielleicht|solange"
    r"|si|seulement|parfois|souvent|peut-être|quand)\b",
    re.IGNORECASE,
)
_PARTS = re.compile(
    r"[,;:()]|\b(?:if|when|unless|while|because|since|wenn|falls|weil|si|quand|car)\b",
    re.IGNORECASE,
)
_OWN = re.compile(
    r"^\W*(?:in a word,? |the short answer is:? |in short,? )?"
    r"(?:(?P<yes>yes|yep|yeah|ja|oui)|(?P<no>no|nope|nein|non))(?=[,.;:!–—-]|\s[-–—])",
    re.IGNORECASE,
)
_DISTANT = re.compile(  # it tells what somebody says, or gives an example
    r"[\"“”«»]|\b(?:claim|argu|suggest|myth|notion|so-called|suppos|assum|alleg|believ|example"
    r"|however|although|whereas|rather than|instead|behaupt|angeblich|jedoch|prétend|cependant)",
    re.IGNORECASE,
)
_LONGEST = 200  # characters of a sentence that decides
_SURE_YES = 0.75  # of the claim's words that it has
_SURE_NO = 0.6
_LIKE = 0.5  # a cosine from which a word counts as another's like
_LAST = 2  # words of the claim of which it must have one in any case
_SAID = {"en": ("Yes", "No"), "de": ("Ja", "Nein"), "fr": ("Oui ", "Non ")}


def claim_of(question: str) -> tuple[str, str]:
    """What a question asks to be confirmed, and the language it does so in; empty if it does not.

    Examples
    --------
    >>> claim_of("May dogs come ashore?"), claim_of("Darf man hier angeln?")
    (('dogs come ashore', 'en'), ('man hier angeln', 'de'))
    >>> claim_of("Who may come ashore?"), claim_of("Is it red or green?"), claim_of("Was ist das?")
    (('', ''), ('', ''), ('', ''))
    """
    if not (_CHOICE.search(question) or _DENIES.search(question)):
        for language, pattern in _ASKS.items():
            if found := pattern.match(question):
                return found["claim"], language
    return "", ""


@dataclass(frozen=True, slots=True)
class Verdict:
    """``yes`` or ``no``, and the word to say first; none where the sentence says it itself."""

    value: str
    word: str


class _Likes:
    """Which terms of a claim stand somewhere, or have their like there."""

    def __init__(self, near: Near | None) -> None:
        self._near = near

    def shared(self, claim: Sequence[str], there: Sequence[str]) -> frozenset[str]:
        found = frozenset(claim).intersection(there)
        missing = [term for term in claim if term not in found]
        if self._near is None or not missing or not there:
            return found
        rows = np.stack([self._near(term) for term in there])
        return found.union(
            term for term in missing if float((rows @ self._near(term)).max()) >= _LIKE
        )


def verdict_of(question: str, unit: Unit, analyser: Analyser, near: Near | None) -> Verdict | None:
    """Whether the answer to a question is yes or no; None where it is neither for sure.

    Parameters
    ----------
    question : str
    unit : Unit
        What answers it: its first sentence decides.
    analyser : Analyser
    near : callable or None
        The vectors of words.
    """
    claimed, language = claim_of(question)
    claim = analyser.terms(claimed)
    if not claim:
        return None
    start, end = sentences(unit.document.text, unit.start, unit.end)[0]
    text = unit.document.text[start:end]
    if own := _OWN.match(text):
        return Verdict("yes" if own["yes"] else "no", "")
    decided = _decides(text, claim, analyser, _Likes(near), explained_by(unit))
    if decided is None:
        return None
    word = _SAID[language][0 if decided else 1]
    if text.casefold().startswith(f"{word.strip().casefold()} "):
        word = ""  # "No licence is needed" begins with it
    return Verdict("yes" if decided else "no", word)


def _decides(
    text: str, claim: Sequence[str], analyser: Analyser, likes: _Likes, explains: str
) -> bool | None:
    """Whether a sentence says yes or no to a claim."""
    covered = likes.shared(claim, analyser.terms(f"{explains}\n{text}"))
    if len(text) > _LONGEST or _DISTANT.search(text) or len(covered) < _SURE_NO * len(claim):
        return None
    denied = [
        # "needs no password" denies a password, whatever else the sentence is about
        part[found.end() :] if found.group().casefold() in _NO_SUCH else part
        for part in _PARTS.split(text)
        if (found := _DENIES.search(part))
    ]
    if denied:
        about = any(likes.shared(claim, analyser.terms(part)) for part in denied)
        return False if about and not _EXCEPTION.search(text) else None
    if _CONDITION.search(text) or _EXCEPTION.search(text):
        return None
    return True if len(covered) >= _SURE_YES * len(claim) and covered & {*claim[-_LAST:]} else None
