"""Units that say the opposite of what is asked: how to enable what is to be disabled."""

from __future__ import annotations

import re

from ..text import Analyser, words
from .check import NEGATORS

_EXCLUDES = re.compile(
    r"\b(?:without|except(?: for)?|but not|other than|excluding|ohne|außer|sans|sauf)\s+"
    r"(?:(?:on|in|at|by|for|from|an|am|bei|le|la|les)\s+)?"
    r"(?P<what>[^,;:?.!]+)",
    re.I,
)
_ENDS = re.compile(
    r"\b(?:is|are|was|were|do|does|did|can|may|must|will|in|on|at|from|for|to|and|or|when|if|while"
    r"|before|after|being|having)\b",
    re.I,
)
_KEEPS_OUT = NEGATORS | frozenset(
    """except excluding exclude excludes excluded skip skips omit omits ignore ignores avoid avoids
    instead suppress suppresses prevent prevents only disable disables disabled off""".split()
)
_UNDOING = """
disable: enable | deactivate: activate | stop: start begin launch | uninstall: install |
remove: add install insert | delete: create add | unmount: mount | unlock: lock | lock: unlock |
decrypt: encrypt | disconnect: connect | unsubscribe: subscribe | detach: attach |
cancel: book order | hide: show display | shrink: grow enlarge | decrease: increase |
lower: raise | close: open | deny: allow permit | forbid: allow permit | revoke: grant |
exclude: include | leave: join enter
"""
_ASKS_FOR = re.compile(
    r"\W*(?:how|what|which|where|when|who|wie|was|welche\w*|wo|wann|wer|comment|quel\w*|où|quand|qui)\b",
    re.I,
)  # "Is it possible without …?" is answered by what says that it is not
_HOW = re.compile(
    r"\bhow (?:do|can|could|should|would|to)\b|\b(?:command|option|setting|key|button|way)s?\b"
    r"|\bwie (?:kann|muss|soll)\b|\bcomment\b",
    re.I,
)  # "When does the office close?" is answered by when it is open
_OFF = re.compile(r"\b(?:turn|switch|power|shut)\w*\b[^,;.?!]{0,40}?\boff\b", re.I)
_ON = re.compile(r"\b(?:turn|switch|power)\w*\b[^,;.?!]{0,40}?\bon\b", re.I)
_LONGEST = 3  # words that are excluded


def _pairs() -> dict[str, frozenset[str]]:
    found = {}
    for pair in _UNDOING.replace("\n", " ").split("|"):
        one, others = pair.split(":")
        found[one.strip()] = frozenset(others.split())
    return found


_OPPOSITE_ACTIONS = _pairs()


class Opposing:
    """Tells of units whether they say the opposite of what one question asks.

    A question may exclude something ("without a password", "except on Sundays") or ask how to undo
    it ("how do I disable …"). A unit that affirms what is excluded, or does what is to be undone,
    and says nothing to the contrary, must not answer.

    Parameters
    ----------
    question : str
    analyser : Analyser
        Of the question's language.

    Examples
    --------
    >>> opposing = Opposing("How do I disable the lamp?", Analyser("en"))
    >>> opposing.is_opposite("To enable the lamp, press A.")
    True
    >>> opposing.is_opposite("To disable the lamp, press B."), opposing.is_opposite("It is lit.")
    (False, False)
    """

    def __init__(self, question: str, analyser: Analyser) -> None:
        self._analyser = analyser
        excluded = _EXCLUDES.finditer(question) if _ASKS_FOR.match(question) else ()
        self._excluded = [terms for match in excluded if (terms := self._terms(match["what"]))]
        asked = frozenset(analyser.terms(question))
        asks_how = bool(_HOW.search(question))
        self._turns_off = asks_how and bool(_OFF.search(question)) and not _ON.search(question)
        self._undone = []
        for one, others in _OPPOSITE_ACTIONS.items() if asks_how else ():
            (term, *_) = analyser.word_terms(one) or ("",)
            opposite = frozenset(t for other in others for t in analyser.word_terms(other))
            if term in asked and opposite.isdisjoint(asked):
                self._undone.append((term, opposite))

    def __bool__(self) -> bool:
        """Whether the question excludes or undoes anything."""
        return bool(self._excluded or self._undone or self._turns_off)

    def is_opposite(self, text: str) -> bool:
        """Whether a text affirms what the question excludes, or does what it wants undone."""
        said = [word.casefold().replace("’", "'") for word in words(text)]
        if not _KEEPS_OUT.isdisjoint(said):
            return False
        if self._turns_off and _ON.search(text):
            return True
        terms = frozenset(self._analyser.terms(text))
        if any(excluded <= terms for excluded in self._excluded):
            return True
        return any(
            term not in terms and not opposite.isdisjoint(terms) for term, opposite in self._undone
        )

    def _terms(self, what: str) -> frozenset[str]:
        named = _ENDS.split(what, maxsplit=1)[0].split()[:_LONGEST]
        return frozenset(self._analyser.terms(" ".join(named)))
