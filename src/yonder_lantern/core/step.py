"""One step of a question that needs several searches."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class StepSpan:
    """Words that a step found, and where they stand."""

    document: str
    start: int
    end: int
    quote: str


@dataclass(frozen=True, slots=True)
class Step:
    """What one step asked, found and passed on.

    Attributes
    ----------
    question : str
        What the step asked.
    kind : {"find", "answer", "compare", "look up"}
        Whether it finds what the next one asks about, answers the rest, tells one side of a
        comparison, or was looked up just now.
    searched : tuple of str
        The words that were searched for.
    found : StepSpan or None
        What of the documents it took; None where it found nothing to go on with.
    passed_on : str
        What the next step asks about, or the amount that is compared; empty at the end.
    milliseconds : float
    """

    question: str
    kind: str
    searched: tuple[str, ...] = ()
    found: StepSpan | None = None
    passed_on: str = ""
    milliseconds: float = 0.0
