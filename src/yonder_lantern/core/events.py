"""What a streamed answer is told in: typed events, one after the other."""

from __future__ import annotations

from dataclasses import dataclass

from .answers import Answer, Citation
from .step import Step


@dataclass(frozen=True, slots=True)
class Piece:
    """A further stretch of the answer's text, as it is written."""

    text: str


@dataclass(frozen=True, slots=True)
class Checked:
    """What was written since the last of these, as it stands in the answer.

    ``wrote`` is what the model wrote; ``text`` is what stays of it, with the numbers of its
    citations, empty where nothing does.
    """

    wrote: str
    text: str


@dataclass(frozen=True, slots=True)
class Cited:
    """The sentence that ended last is borne out by this."""

    citation: Citation


@dataclass(frozen=True, slots=True)
class Withdrawn:
    """A sentence that was shown does not hold: it is no part of the answer.

    ``why`` says what its citations do not bear out.
    """

    sentence: str
    why: str


@dataclass(frozen=True, slots=True)
class Stepped:
    """A step of a question that needs several was taken; it may lead nowhere."""

    step: Step


@dataclass(frozen=True, slots=True)
class Finished:
    """The whole answer, as `Desk.ask` would have given it."""

    answer: Answer


Event = Piece | Checked | Cited | Withdrawn | Stepped | Finished
