"""The kinds of thing that a question can ask for and that can be told by their form."""

from __future__ import annotations

from enum import Enum


class AnswerType(Enum):
    """A kind of thing that can be told by its form."""

    ANYTHING = "anything"
    NUMBER = "number"
    MONEY = "money"
    DURATION = "duration"
    FREQUENCY = "frequency"
    DATE = "date"
    PAST = "past date"
    AGE = "age"
    LIST = "list"
    LENGTH = "length"
    WEIGHT = "weight"
    SPEED = "speed"
    WARMTH = "warmth"
    TIME_OR_LENGTH = "time or length"
    NAME = "name"
    DEFINITION = "definition"
    LOCATION = "location"
    PERSON = "person"
    REASON = "reason"
    COLOUR = "colour"
    TELEPHONE = "telephone"
    MAIL = "mail"
    SITE = "site"
    MARK = "mark"
