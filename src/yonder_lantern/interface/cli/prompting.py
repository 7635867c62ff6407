"""Reading lines from a person, with editing and a history, or from a pipe."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Sequence

from .terminal import echo

_PROMPT = "› "


class Prompter:
    """Gives one line after the other.

    With the extra ``talk`` lines are edited and searched by prompt_toolkit; without it by the
    system's own line editing. The history is that of the conversation; none is written.

    Parameters
    ----------
    on_terminal : bool
    history : sequence of str
        What was asked before, oldest first.
    """

    def __init__(self, on_terminal: bool, history: Sequence[str]) -> None:
        self._read: Callable[[], str] | None = _reader(history) if on_terminal else None

    def next_line(self) -> str | None:
        """The next line; None at the end, or where the person interrupts."""
        if self._read is None:
            line = sys.stdin.readline()
            return line.rstrip("\n") if line else None
        try:
            return self._read()
        except (EOFError, KeyboardInterrupt):
            echo()
            return None


def _reader(history: Sequence[str]) -> Callable[[], str]:
    try:
        from prompt_toolkit import PromptSession
        from prompt_toolkit.history import InMemoryHistory
    except ImportError:
        with contextlib.suppress(ImportError):
            import readline  # noqa: F401  - gives the prompt its line editing
        return lambda: input(_PROMPT)
    known = InMemoryHistory(list(history))
    session: PromptSession[str] = PromptSession(_PROMPT, history=known)
    return session.prompt
