"""How long each step of a question takes, and whether there is time for the next."""

from __future__ import annotations

import time

from ..core import Control


class Clock:
    """Notes how long each step took, in milliseconds, and stops at a deadline."""

    def __init__(self, control: Control) -> None:
        self.times: dict[str, float] = {}
        self._control = control
        self._last = time.perf_counter()

    def lap(self, step: str) -> None:
        """Note the time since the step before.

        Raises
        ------
        CancelledError, LimitError
            The work should stop here.
        """
        now = time.perf_counter()
        self.times[step] = round((now - self._last) * 1000, 3)
        self._last = now
        self._control.check()
