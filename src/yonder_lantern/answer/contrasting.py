"""Two things that a question wants told apart in words: "What is the difference between …?"."""

from __future__ import annotations

import re
from typing import NamedTuple

from ..text import Analyser
from .units import Unit

_THING = r"(?:an? |the |eine?[nmrs]? |der |die |das |une? |les? |la )?{}"
_ONE, _OTHER = _THING.format(r"(?P<one>[^,;?]+?)"), _THING.format(r"(?P<other>[^,;?]+?)")
_FORMS = [
    re.compile(form, re.IGNORECASE)
    for form in (
        rf"^.*\bdifferences? between {_ONE} and {_OTHER}\W*$",
        rf"^\W*how (?:do|does|did|is|are) {_ONE} (?:differ|different) from {_OTHER}\W*$",
        rf"^\W*how (?:do|are) {_ONE} and {_OTHER} (?:differ|different)\W*$",
        rf"^\W*what (?:sets|tells) {_ONE} apart from {_OTHER}\W*$",
        rf"^\W*(?:please )?(?:compare|contrast) {_ONE} (?:and|with|to) {_OTHER}\W*$",
        rf"^\W{{0,3}}{_ONE} (?:vs\.?|versus) {_OTHER}\W*$",
        rf"^\W*(?:should|can|may|must|do|does) (?:i|we|one|you) (?:use|take|choose|pick|need|have"
        rf"|rent|book|buy|get) {_ONE} or {_OTHER}\W*$",
        rf"^\W*which (?:is|one is|one) \w+(?: \w+)?,? {_ONE} or {_OTHER}\W*$",
        rf"^.*\bunterschied zwischen {_ONE} und {_OTHER}\W*$",
        rf"^.*\bdifférence entre {_ONE} et {_OTHER}\W*$",
    )
]
_NAMED = 0.6  # of a thing's words that a unit has that tells of it


class Contrast(NamedTuple):
    """The two things."""

    one: str
    other: str


def contrast_of(question: str) -> Contrast | None:
    """The two things that a question wants told apart; None if it wants something else.

    Examples
    --------
    >>> contrast_of("What is the difference between a cleat and a bollard?")
    Contrast(one='cleat', other='bollard')
    >>> contrast_of("Should I rent a locker or a shed?"), contrast_of("Where is the shed?")
    (Contrast(one='locker', other='shed'), None)
    """
    for form in _FORMS:
        if found := form.match(question):
            return Contrast(found["one"].strip(), found["other"].strip())
    return None


def tells_of_both(unit: Unit, contrast: Contrast, analyser: Analyser) -> bool:
    """Whether a unit itself names both things."""
    there = frozenset(unit.terms)
    for thing in contrast:
        terms = frozenset(analyser.terms(thing))
        if len(terms & there) < _NAMED * len(terms):
            return False
    return True
