"""An answer on the terminal as it is written."""

from __future__ import annotations

import itertools
import shutil
from collections.abc import Iterator

from ...core import Answer, Checked, Event, Finished, Piece, Withdrawn
from .showing import show_withdrawn, told, width, with_marks
from .terminal import Scroll, displayed, echo, waiting_for


def show_stream(events: Iterator[Event], waits_for: str) -> Answer:
    """Show an answer as it is written; a sentence that does not hold is struck out.

    Parameters
    ----------
    events : iterator of Event
    waits_for : str
        What is waited for until the first of them.
    """
    size = shutil.get_terminal_size()
    scroll = Scroll(min(size.columns, width()), size.lines)
    with waiting_for(waits_for):
        first = next(events)
    struck = ""
    for event in itertools.chain([first], events):
        if isinstance(event, Piece):
            scroll.write(event.text)
        elif isinstance(event, Withdrawn):
            struck = event.sentence
        elif isinstance(event, Checked):
            scroll.settle(event.wrote, struck or with_marks(event.text), struck=bool(struck))
            struck = ""
        elif isinstance(event, Finished):
            scroll.end()
            answer = event.answer
            if not answer.answered:
                echo(("" if scroll.at_start else "\n") + told(answer))
            show_withdrawn(displayed(answer).unsupported)
            return answer
    raise AssertionError("a stream ends with the whole answer")
