"""Words that a machine made out wrongly, put right; what it made out is kept."""

from __future__ import annotations

import bisect
import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

from ...core import Difference, Origin, OriginRun, Parsed


def corrected(parsed: Parsed, corrections: Mapping[str, str]) -> Parsed:
    """Apply a list of corrections to what a format made.

    Parameters
    ----------
    parsed : Parsed
    corrections : mapping
        What was heard or written → what is right. Whole words, in any case.

    Returns
    -------
    Parsed
        With the same blocks and marks around the new words, and a `Difference`
        for each that was put right.

    Examples
    --------
    >>> corrected(Parsed("the corry vith", ()), {"corry vith": "Corriveth"}).text
    'the Corriveth'
    """
    longest_first = sorted(corrections, key=len, reverse=True)
    alternatives = "|".join(r"\s+".join(map(re.escape, one.split())) for one in longest_first)
    pattern = re.compile(rf"(?<!\w)(?:{alternatives})(?!\w)", re.IGNORECASE)
    right = {" ".join(wrong.casefold().split()): words for wrong, words in corrections.items()}
    out: list[str] = []
    shifts: list[tuple[int, int, int]] = []  # old start, old end, new start
    differences: list[Difference] = []
    at = length = 0
    for match in pattern.finditer(parsed.text):
        words = right[" ".join(match[0].casefold().split())]
        if words == match[0]:
            continue
        out.append(parsed.text[at : match.start()])
        length += match.start() - at
        shifts.append((match.start(), match.end(), length))
        differences.append(Difference(length, length + len(words), match[0]))
        out.append(words)
        length += len(words)
        at = match.end()
    if not shifts:
        return parsed
    out.append(parsed.text[at:])
    moved = _Moved(shifts, [len(d.words) - (d.end - d.start) for d in differences])
    kept = [
        Difference(moved.start(d.start), moved.end(d.end), d.words)
        for d in parsed.origin.differences
        if not moved.inside(d.start, d.end)
    ]
    return replace(
        parsed,
        text="".join(out),
        blocks=tuple(
            replace(b, start=moved.start(b.start), end=moved.end(b.end)) for b in parsed.blocks
        ),
        marks=tuple(
            replace(m, start=moved.start(m.start), end=moved.end(m.end)) for m in parsed.marks
        ),
        origin=Origin(
            tuple(_runs(parsed.origin.runs, moved)),
            tuple(sorted((*kept, *differences), key=lambda one: one.start)),
        ),
    )


class _Moved:
    """Where positions of the old text are in the new one."""

    def __init__(self, shifts: list[tuple[int, int, int]], shrunk: list[int]) -> None:
        self._starts = [start for start, _, _ in shifts]
        self._shifts = shifts
        self._total = [0]
        for one in shrunk:
            self._total.append(self._total[-1] + one)

    def start(self, position: int) -> int:
        """Of a beginning; inside a word that was put right, where that word begins."""
        at = bisect.bisect_right(self._starts, position)
        if at and position < self._shifts[at - 1][1]:
            return self._shifts[at - 1][2]
        return position - self._total[at]

    def end(self, position: int) -> int:
        """Of an end; inside a word that was put right, where that word ends."""
        at = bisect.bisect_left(self._starts, position)
        if at and position < self._shifts[at - 1][1]:
            return self._shifts[at - 1][1] - self._total[at]
        return position - self._total[at]

    def inside(self, start: int, end: int) -> bool:
        """Whether a range touches a word that was put right."""
        return any(start < old_end and old < end for old, old_end, _ in self._shifts)

    def cuts(self, start: int, end: int) -> list[int]:
        """The positions within a range where the text begins or ceases to be as it was."""
        low = bisect.bisect_left(self._starts, start)
        inside = self._shifts[max(low - 1, 0) :]
        found = []
        for old, old_end, _ in inside:
            if old >= end:
                break
            found += [one for one in (old, old_end) if start < one < end]
        return found


def _runs(runs: Sequence[OriginRun], moved: _Moved) -> list[OriginRun]:
    """The runs around the new words; a run that holds one is cut there."""
    found: list[OriginRun] = []
    for run in runs:
        exact = run.end - run.start == run.original_end - run.original_start
        places = [run.start, *(moved.cuts(run.start, run.end) if exact else []), run.end]
        for begin, end in pairwise(places):
            start, stop = moved.start(begin), moved.end(end)
            low, high = run.original_start, run.original_end
            if exact:
                low, high = low + begin - run.start, low + end - run.start
            last = found[-1] if found else None
            if last and start < last.end:  # part of a word that was put right already
                found[-1] = OriginRun(last.start, last.end, last.original_start, high)
            else:
                found.append(OriginRun(start, stop, low, high))
    return found
