"""How many requests a caller may send, whatever they ask for: a limit of this process."""

from __future__ import annotations

import time

from .problems import HttpProblem

_MINUTE = 60.0
_MANY = 10_000  # callers that are remembered at most; those of earlier minutes go first


class RequestRate:
    """Counts requests of callers by the minute."""

    def __init__(self) -> None:
        self._counts: dict[str, tuple[int, int]] = {}

    def count(self, name: str, most: int) -> None:
        """Count a request.

        Raises
        ------
        HttpProblem
            429: there were as many as may be in this minute.
        """
        now = time.monotonic()
        minute = int(now / _MINUTE)
        began, count = self._counts.get(name, (minute, 0))
        count = count + 1 if began == minute else 1
        self._counts[name] = (minute, count)
        if len(self._counts) > _MANY:
            self._counts = {key: one for key, one in self._counts.items() if one[0] == minute} or {
                name: (minute, count)
            }
        if count > most:
            wait = str(int(_MINUTE - now % _MINUTE) + 1)
            raise HttpProblem(429, f"{most} requests a minute are allowed",
                              f"wait {wait} seconds", {"retry-after": wait})  # fmt: skip
