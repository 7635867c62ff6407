"""The small protocols at the seams between steps."""

from __future__ import annotations

from typing import Any, Protocol


class Cancel(Protocol):
    """A signal that long work looks at; `threading.Event` is one."""

    def is_set(self) -> bool:
        """Whether the work should stop as soon as it safely can."""
        ...


class Progress(Protocol):
    """Told how far long work has come."""

    def __call__(self, step: str, done: int, total: int | None, item: str = "") -> None:
        """``done`` of ``total`` (None when not known yet) of ``step``; what it is at, by name."""
        ...


class Recorder(Protocol):
    """Keeps the record of one question and returns its id."""

    def record(self, trace: dict[str, Any]) -> str:
        """Keep a trace; the id under which it can be found again."""
        ...


def no_progress(step: str, done: int, total: int | None, item: str = "") -> None:
    """Progress that nobody watches."""


class NeverCancel:
    """A cancel signal that never comes."""

    def is_set(self) -> bool:
        """Never."""
        return False


class NoRecorder:
    """A recorder that keeps nothing."""

    def record(self, trace: dict[str, Any]) -> str:  # noqa: ARG002
        """Keep nothing; the empty id."""
        return ""
