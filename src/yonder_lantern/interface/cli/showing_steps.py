"""The steps of a question on the terminal: as they are taken, and those that led to the answer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...core import Answer, Event, Finished, Step, Stepped
from .showing import counted, width
from .terminal import AMBER, SEA, displayed, echo, faint, style

_VERBS = {"compare": "compares", "look up": "looked up"}
_LEAST = 30  # characters of what a step found, however long its document's name is


def take_steps(events: Iterator[Event], *, live: bool) -> tuple[Answer, int]:
    """The answer of a stream, and how many steps were tried; each is printed when it is taken.

    Parameters
    ----------
    events : iterator of Event
    live : bool
        Whether to print them.
    """
    taken = 0
    for event in events:
        if isinstance(event, Stepped) and live:
            taken += 1
            echo(faint(f"  search {taken}: {displayed(event.step).question}"))
        elif isinstance(event, Finished):
            if live and taken:
                echo()
            return event.answer, taken
    raise AssertionError("a stream ends with the whole answer")


def show_steps(steps: Sequence[Step], tried: int) -> None:
    """Print the steps that led to an answer: what each asked, found and passed on."""
    if not steps:
        led = "These searches led nowhere. The answer is from one search for the whole question."
        plain = "One search was enough for this question; no steps were taken."
        echo(faint(led if tried else plain))
        echo()
        return
    echo(style(f"{counted(len(steps), 'step')}:", bold=True))
    for number, raw in enumerate(steps, 1):
        step = displayed(raw)
        echo(f"{style(f'{number}.', bold=True)} {step.question}")
        echo(faint(f"   searched for {', '.join(step.searched)}"))
        if step.found is not None:
            words = " ".join(displayed(step.found).quote.split())
            room = max(_LEAST, width() - len(step.found.document) - 9)
            words = words if len(words) <= room else f"{words[:room]} …"
            echo(f"   {style(step.found.document, fg=SEA)} “{words}”")
        if step.passed_on:
            verb = _VERBS.get(step.kind, "passes on")
            echo(f"   {verb} {style(step.passed_on, fg=AMBER, bold=True)}")
    echo()
