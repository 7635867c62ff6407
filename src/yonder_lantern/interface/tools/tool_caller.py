"""Who calls a tool."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ...core import Answer, CallError
from ...desk import Desk
from ...policy import RIGHTS

GRADE = "grade"  # the owner alone may
_ALL = frozenset((*RIGHTS, GRADE))


@dataclass(frozen=True, slots=True)
class ToolCaller:
    """Who calls a tool.

    Attributes
    ----------
    name : str
        Whose notes they leave.
    desk : Desk
        As they see it.
    rights : frozenset of str
        Of `RIGHTS`, and ``grade``.
    count : callable
        Counts a question against what they may ask; raises where it is too many.
    spent : callable
        Counts what an answer cost.
    """

    name: str
    desk: Desk = field(repr=False)
    rights: frozenset[str] = _ALL
    count: Callable[[], None] = lambda: None
    spent: Callable[[Answer], None] = lambda _: None

    def need(self, right: str) -> None:
        """Refuse somebody who may not do something.

        Raises
        ------
        CallError
            They may not.
        """
        if right not in self.rights:
            raise CallError(f"you may not use this: the right {right!r} is missing", "token",
                            "ask the desk's owner")  # fmt: skip


def fixed_caller(desk: Desk, name: str = "owner") -> Callable[[object], ToolCaller]:
    """One and the same caller for every call: whoever started the server on this machine."""
    rights = _ALL if desk.caller.is_owner else _ALL - {GRADE}
    caller = ToolCaller(name, desk, rights)
    return lambda _: caller
