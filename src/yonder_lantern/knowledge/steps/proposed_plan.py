"""A plan that a model proposes: its steps, a line each, checked before any is taken."""

from __future__ import annotations

import re

from .read_question import Chain, proposed

_LINE = re.compile(r"^\s*(?P<number>\d)[.):]\s+(?P<step>\S.*?)\s*$", re.M)
_NAMED = re.compile(r"\[(\d)\]")
_MOST = 4  # steps
_LONGEST = 300  # characters of a step


def plan_in(reply: str) -> Chain | None:
    """The steps that a model's reply proposes; None where it proposes none that can be taken.

    Each step but the first must ask about what the one before it found, by its number in square
    brackets, and about nothing that is still to be found.

    Parameters
    ----------
    reply : str

    Examples
    --------
    >>> plan = plan_in("1. Which pump has the burst hose?\\n2. What does [1] deliver?")
    >>> plan.first, plan.then("PU-4")
    ('Which pump has the burst hose?', 'What does PU-4 deliver?')
    >>> plan_in("NONE"), plan_in("1. What does [2] deliver?\\n2. Which is [1]?")
    (None, None)
    """
    found = [(int(one["number"]), one["step"]) for one in _LINE.finditer(reply)]
    if not 2 <= len(found) <= _MOST or [number for number, _ in found] != [
        *range(1, len(found) + 1)
    ]:
        return None
    for number, step in found:
        named = {int(one) for one in _NAMED.findall(step)}
        if len(step) > _LONGEST or any(one >= number for one in named):
            return None
        if number > 1 and number - 1 not in named:
            return None
    return proposed([step for _, step in found])
