"""Short fixed conversations: values asked for one after the other, and what is made of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from ..core import DialogueState
from ..settings import END, DialogueSettings, StepSettings
from ..text import written_dates
from .conditions import holds

_STOPS = re.compile(
    r"\W*(?:cancel|stop|never ?mind|forget it|quit|abort|leave it|no thanks?|abbrechen|stopp|"
    r"vergiss es|annuler|arrête[rz]?)\W*(?:please|bitte|s'il (?:te|vous) plaît)?\W*",
    re.IGNORECASE,
)
_YES = re.compile(r"\W*(?:y|yes|yep|yeah|sure|ok(?:ay)?|of course|ja|gern|oui|d'accord)\b.*", re.I)
_NO = re.compile(r"\W*(?:n|no|nope|not? (?:really|now)|nein|non)\b.*", re.I)
_NUMBER = re.compile(r"[-+]?\d+(?:[.,]\d+)?")
_ISO_DATE = re.compile(r"(?<!\d)\d{4}-\d\d-\d\d(?!\d)")
_MOST_STEPS = 50  # in one turn: a circle ends
STOPPED = "All right, that is left. What else would you like to know?"
_WRONG = {
    "number": "That is not a number I can use{limits}.",
    "date": "That is not a date. Write it as 2026-05-03 or 3 May 2026.",
    "choice": "Please choose one of these: {choices}.",
    "yes or no": "Please answer yes or no.",
    "text": "That does not have the right form.",
}
Say = Callable[[str, StepSettings, Mapping[str, Any]], str]
LookUp = Callable[[StepSettings, Mapping[str, Any]], Mapping[str, Any] | None]


@dataclass(frozen=True, slots=True)
class DialogueTurn:
    """What a dialogue says next.

    Attributes
    ----------
    texts : tuple of str
    state : DialogueState or None
        What it waits for; None once it has ended.
    choices : tuple of str
        What there is to choose from.
    values : mapping
        What is known of the person so far.
    why : str
        For the trace.
    """

    texts: tuple[str, ...]
    state: DialogueState | None
    choices: tuple[str, ...] = ()
    values: Mapping[str, Any] | None = None
    why: str = ""


class Dialogue:
    """One dialogue of the settings.

    Parameters
    ----------
    settings : DialogueSettings
    say : callable
        Fills in a template of a step.
    look_up : callable
        Gives what a step looks up, by the names of the look-ups; None where that failed.
    """

    def __init__(self, settings: DialogueSettings, say: Say, look_up: LookUp) -> None:
        self._settings = settings
        self._steps = {one.name: one for one in settings.step}
        self._say = say
        self._look_up = look_up

    def begin(self, known: Mapping[str, Any]) -> DialogueTurn:
        """Its first words."""
        return self._from(self._settings.step[0].name, {}, known, "it begins")

    def go_on(self, state: DialogueState, text: str, known: Mapping[str, Any]) -> DialogueTurn:
        """What it says to a value, or to what should have been one."""
        values = dict(state.values)
        step = self._steps.get(state.step)
        if step is None:  # the settings have changed since
            return self.begin(known)
        if _STOPS.fullmatch(text):
            return DialogueTurn((STOPPED,), None, values=values, why="the person ended it")
        value = value_of(step, text)
        if value is None:
            wrong = step.wrong or _wrong(step)
            asked = self._say(step.ask, step, {**known, **values})
            return DialogueTurn(
                (wrong, asked), state, step.choices, values, f"{text!r} is no {step.kind}"
            )
        values[step.name] = value
        after = self._after(step, {**known, **values})
        return self._from(after, values, known, f"{step.name} is {value!r}")

    def _from(
        self, name: str, values: dict[str, Any], known: Mapping[str, Any], why: str
    ) -> DialogueTurn:
        """Go on from a step to the next one that asks for something."""
        texts: list[str] = []
        for _ in range(_MOST_STEPS):
            if name == END:
                break
            step = self._steps[name]
            found = self._look_up(step, {**known, **values})
            if found is None:
                texts.append(step.failed)
                break
            values.update(found)
            whole = {**known, **values}
            texts.append(self._say(step.ask or step.say, step, whole))
            if step.ask:
                state = DialogueState(self._settings.name, name, values)
                return DialogueTurn(tuple(texts), state, step.choices, values, why)
            name = self._after(step, whole)
        return DialogueTurn(tuple(texts), None, values=values, why=f"{why}; it ends")

    def _after(self, step: StepSettings, known: Mapping[str, Any]) -> str:
        for one in step.next:
            if holds(one.when, known, f"dialogue {self._settings.name}, step {step.name}"):
                return one.step
        names = [*self._steps, END]
        return names[names.index(step.name) + 1]


def value_of(step: StepSettings, text: str) -> Any:
    """The value that a text gives a step; None where it gives none.

    Examples
    --------
    >>> length = StepSettings(name="length", ask="How long?", kind="number", most=30)
    >>> value_of(length, "about 11,5 m"), value_of(length, "40"), value_of(length, "rather long")
    (11.5, None, None)
    """
    flat = " ".join(text.split())
    if step.kind == "number":
        found = _NUMBER.findall(flat)
        if len(found) != 1:
            return None
        number = float(found[0].replace(",", "."))
        low = step.least is not None and number < step.least
        high = step.most is not None and number > step.most
        return None if low or high else int(number) if number.is_integer() else number
    if step.kind == "date":
        return _date(flat)
    if step.kind == "choice":
        return _chosen(step.choices, flat)
    if step.kind == "yes or no":
        return "yes" if _YES.fullmatch(flat) else "no" if _NO.fullmatch(flat) else None
    if step.pattern:
        import regex

        try:
            matched = regex.fullmatch(step.pattern, flat, timeout=1.0)
        except TimeoutError:
            return None
        return flat if matched else None
    return flat or None


def _date(text: str) -> str | None:
    """The one date in a text, as 2026-05-03."""
    for written in [*_ISO_DATE.findall(text), *(moment for _, moment in written_dates(text))]:
        try:
            return date.fromisoformat(written).isoformat()
        except ValueError:
            return None
    return None


def _chosen(choices: tuple[str, ...], text: str) -> str | None:
    """The choice that a text names, by its words or its number in the list."""
    folded = text.casefold()
    if folded.isdecimal() and len(folded) < 4 and 1 <= int(folded) <= len(choices):
        return choices[int(folded) - 1]
    exact = [one for one in choices if one.casefold() == folded]
    within = [
        one for one in choices
        if re.search(rf"(?<!\w){re.escape(one.casefold())}(?!\w)", folded)
        or (len(folded) > 2 and one.casefold().startswith(folded))
    ]  # fmt: skip
    found = exact or within
    return found[0] if len(found) == 1 else None


def _wrong(step: StepSettings) -> str:
    limits = ""
    if step.least is not None and step.most is not None:
        limits = f": it is between {step.least:g} and {step.most:g}"
    elif step.least is not None:
        limits = f": it is at least {step.least:g}"
    elif step.most is not None:
        limits = f": it is at most {step.most:g}"
    return _WRONG[step.kind].format(limits=limits, choices=", ".join(step.choices))
