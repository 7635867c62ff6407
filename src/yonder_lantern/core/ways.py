"""Which way a question went, and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any


class Way(StrEnum):
    """Who answered a question."""

    DOCUMENTS = "documents"
    FIXED_REPLY = "fixed reply"
    DIALOGUE = "dialogue"
    COURTESY = "courtesy"
    HOUSE_RULE = "house rule"
    NOTED = "noted"
    LOOK_UP = "look-up"


@dataclass(frozen=True, slots=True)
class LookedUp:
    """A value asked for when the question came.

    Attributes
    ----------
    name : str
    address : str
        What was asked, without secrets; the function's name where it was one.
    values : mapping of str to object
        What came back, by the names the settings give it.
    cached : bool
        Whether it was known from a moment ago.
    problem : str
        Why there is no value.
    milliseconds : float
    """

    name: str
    address: str
    values: Mapping[str, Any]
    cached: bool = False
    problem: str = ""
    milliseconds: float = 0.0


@dataclass(frozen=True, slots=True)
class Route:
    """Which way a question went.

    Attributes
    ----------
    way : Way
    name : str
        Of the fixed reply or the dialogue.
    why : str
        For a person: what decided it.
    phrasing : str
        The given phrasing that is most like the question.
    sure : float
        The probability that the reply it belongs to is meant, 0 to 1.
    next_sure : float
        The same of the reply that comes next.
    look_ups : tuple of LookedUp
    """

    way: Way = Way.DOCUMENTS
    name: str = ""
    why: str = ""
    phrasing: str = ""
    sure: float = 0.0
    next_sure: float = 0.0
    look_ups: tuple[LookedUp, ...] = ()


@dataclass(frozen=True, slots=True)
class DialogueState:
    """Where a dialogue stands: which one, the step whose value is waited for, the values so far."""

    name: str
    step: str
    values: Mapping[str, Any] = field(default_factory=dict)
