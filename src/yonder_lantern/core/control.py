"""What ends work before it is done: a signal, or a deadline."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from .errors import CancelledError, LimitError
from .protocols import Cancel, NeverCancel


@dataclass(frozen=True, slots=True)
class Control:
    """A cancel signal and a deadline, looked at between the steps of long work.

    It is a `Cancel` itself, so that whatever takes one stops at the deadline too.

    Attributes
    ----------
    cancel : Cancel
    deadline : float or None
        On the clock of `time.monotonic`; None is without.
    timeout : float
        How many seconds were given, for the error.

    Examples
    --------
    >>> Control.within(60).is_set(), Control.within(0.0).is_set()
    (False, True)
    """

    cancel: Cancel = field(default_factory=NeverCancel)
    deadline: float | None = None
    timeout: float = 0.0

    @classmethod
    def within(cls, timeout: float | None, cancel: Cancel | None = None) -> Control:
        """Control over work that may take so many seconds from now."""
        deadline = None if timeout is None else time.monotonic() + timeout
        return cls(cancel or NeverCancel(), deadline, timeout or 0.0)

    @property
    def overdue(self) -> bool:
        """Whether the deadline has passed."""
        return self.deadline is not None and time.monotonic() >= self.deadline

    def is_set(self) -> bool:
        """Whether the work should stop."""
        return self.cancel.is_set() or self.overdue

    def check(self) -> None:
        """Stop here if the work should.

        Raises
        ------
        CancelledError
            The signal is set.
        LimitError
            The deadline has passed.
        """
        if self.cancel.is_set():
            raise CancelledError("interrupted")
        if self.overdue:
            raise LimitError(
                f"it took more than {self.timeout:g} seconds",
                "timeout",
                "allow more time, or ask for fewer passages",
            )
