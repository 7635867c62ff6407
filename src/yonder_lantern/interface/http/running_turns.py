"""Turns that are being answered: each in a thread of its own, its events kept to be read again."""

from __future__ import annotations

import asyncio
import contextvars
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import AsyncIterator, Callable, Generator
from contextlib import closing, suppress
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from ...core import YonderError
from .problems import HttpProblem, status_of
from .shared_turns import FollowedTurn, SharedTurns, Stop, one_at_a_time

_KEPT = 600.0  # seconds that a turn's events can be read again
_MOST = 1000  # turns whose events are kept
_LEFT = 20.0  # seconds after which the turn of a reader that went away is stopped
_TICK = 15.0  # seconds after which a silent stream says that it is alive
GATHERS = "gathers"  # in place of a conversation: gathers follow each other

Named = Generator[tuple[str, dict[str, Any]], None, None]
Told = Callable[[Any], Named]


@dataclass
class RunningTurn:
    """A turn under way, or just ended.

    Attributes
    ----------
    id, conversation, caller : str
    events : list of (str, dict)
        Named, in order; numbered from 1 by their place.
    readers : int
        How many follow it now.
    left_at : float
        When the last of them went away, on the monotonic clock; 0 before.
    """

    id: str
    conversation: str
    caller: str
    events: list[tuple[str, dict[str, Any]]] = field(default_factory=list)
    ended: bool = False
    ended_at: float = 0.0
    cancel: Stop = field(default_factory=threading.Event)
    readers: int = 0
    left_at: float = 0.0
    _waiting: list[Callable[[], None]] = field(default_factory=list)
    _guard: threading.Lock = field(default_factory=threading.Lock)

    @property
    def is_over(self) -> bool:
        """Whether no more events come."""
        return self.ended

    @property
    def is_left(self) -> bool:
        """Whether somebody followed it and went away, and has not come back for a while."""
        away = time.monotonic() - self.left_at
        return self.readers == 0 and self.left_at > 0 and away > _LEFT

    def tell(self, name: str, data: dict[str, Any]) -> None:
        """Add an event."""
        with self._guard:
            self.events.append((name, data))
        self._wake()

    def end(self) -> None:
        """No more events come."""
        with self._guard:
            self.ended, self.ended_at = True, time.monotonic()
        self._wake()

    def _wake(self) -> None:
        with self._guard:
            waiting, self._waiting = self._waiting, []
        for wake in waiting:
            wake()

    async def after(self, number: int) -> AsyncIterator[tuple[int, str, dict[str, Any]] | None]:
        """The events after one, as they come; None now and then while nothing does.

        It waits in the event loop, not in a thread: as many can be read at once as there are
        connections.
        """
        loop = asyncio.get_running_loop()
        self.readers += 1
        try:
            async for event in self._after(number, loop):
                yield event
        finally:
            self.readers -= 1
            self.left_at = time.monotonic()

    async def _after(
        self, number: int, loop: asyncio.AbstractEventLoop
    ) -> AsyncIterator[tuple[int, str, dict[str, Any]] | None]:
        while True:
            fresh = asyncio.Event()
            with self._guard:
                events, over = self.events[number:], self.ended
                if not events and not over:
                    self._waiting.append(partial(_set, loop, fresh))
            for name, data in events:
                number += 1
                yield number, name, data
            if over and number >= len(self.events):
                return
            if not events:
                try:
                    await asyncio.wait_for(fresh.wait(), _TICK)
                except TimeoutError:
                    yield None


def _set(loop: asyncio.AbstractEventLoop, event: asyncio.Event) -> None:
    with suppress(RuntimeError):  # the loop of a reader that has left is closed
        loop.call_soon_threadsafe(event.set)


class RunningTurns:
    """The turns of all conversations that are under way; those of one follow each other.

    Parameters
    ----------
    at_once : int
        How many may be under way.
    shared : Path, optional
        Where events are written for other processes that serve the same desk.
    """

    def __init__(self, at_once: int = 64, shared: Path | None = None) -> None:
        self._at_once = at_once
        self._shared = SharedTurns(shared) if shared else None
        self._turns: OrderedDict[str, RunningTurn] = OrderedDict()
        self._locks: dict[str, threading.Lock] = {}
        self._guard = threading.Lock()

    def begin(self, caller: str, conversation: str, told: Told) -> RunningTurn:
        """Begin a turn.

        Parameters
        ----------
        caller, conversation : str
        told : callable
            Gives the turn's events, named; takes a cancel signal.

        Raises
        ------
        HttpProblem
            503: too many are under way.
        """
        turn = self.prepare(caller, conversation)
        self.start(turn, told)
        return turn

    def prepare(self, caller: str, conversation: str) -> RunningTurn:
        """A turn that others can find already, to be started or dropped.

        Raises
        ------
        HttpProblem
            503: too many are under way.
        """
        with self._guard:
            self._forget()
            if sum(not one.ended for one in self._turns.values()) >= self._at_once:
                raise HttpProblem(503, "too many questions are under way", "ask again soon",
                                  {"retry-after": "2"})  # fmt: skip
            turn = RunningTurn(secrets.token_urlsafe(12), conversation, caller)
            if self._shared is not None:
                turn.cancel = self._shared.begin(turn.id, conversation, caller)
            self._turns[turn.id] = turn
        return turn

    def start(self, turn: RunningTurn, told: Told) -> None:
        """Let a turn be answered."""
        with self._guard:
            lock = self._locks.setdefault(turn.conversation, threading.Lock())
        context = contextvars.copy_context()  # its lines in the log name the request
        threading.Thread(
            target=context.run,
            args=(self._run, turn, lock, told),
            name=f"turn {turn.id}",
            daemon=True,
        ).start()

    def drop(self, turn: RunningTurn) -> None:
        """Take back a turn that was only prepared."""
        with self._guard:
            self._turns.pop(turn.id, None)
        if self._shared is not None:
            self._shared.drop(turn.id)

    def find(self, caller: str, conversation: str, id_: str) -> RunningTurn | FollowedTurn:
        """A turn that is under way or ended not long ago.

        Raises
        ------
        HttpProblem
            404: there is none, or it is somebody else's.
        """
        turn = self.find_any(id_)
        if turn is None or (turn.caller, turn.conversation) != (caller, conversation):
            raise HttpProblem(404, "there is no such turn", "see the conversation's own turns")
        return turn

    def find_any(self, id_: str) -> RunningTurn | FollowedTurn | None:
        """A turn of whichever caller; None if there is none, or it ended long ago."""
        turn: RunningTurn | FollowedTurn | None = self._turns.get(id_)
        if turn is None and self._shared is not None:
            turn = self._shared.find(id_)
        return turn

    def _run(self, turn: RunningTurn, lock: threading.Lock, told: Told) -> None:
        shared = self._shared
        try:
            with (
                lock,
                one_at_a_time(shared, turn.conversation),
                closing(told(turn.cancel)) as events,
            ):
                for name, data in events:
                    turn.tell(name, data)
                    if shared is not None:
                        shared.tell(turn.id, name, data)
                    if turn.is_left:
                        turn.cancel.set()  # the next step of the work ends it
        except HttpProblem as error:
            wrong = {"status": error.status, "detail": error.detail, "remedy": error.remedy}
            self._tell_last(turn, wrong)
        except YonderError as error:
            status = status_of(error)
            told_last = {"status": status, "detail": error.what, "remedy": error.remedy}
            self._tell_last(turn, told_last)
        except Exception:
            self._tell_last(turn, {"status": 500, "detail": "something broke", "remedy": ""})
            raise
        finally:
            turn.end()
            if shared is not None:
                shared.end(turn.id)

    def _tell_last(self, turn: RunningTurn, wrong: dict[str, Any]) -> None:
        """What went wrong, as the last event."""
        turn.tell("problem", wrong)
        if self._shared is not None:
            self._shared.tell(turn.id, "problem", wrong)

    def _forget(self) -> None:
        """Drop what nobody reads any more."""
        old = time.monotonic() - _KEPT
        for id_, turn in list(self._turns.items()):
            if turn.ended and (turn.ended_at < old or len(self._turns) > _MOST):
                del self._turns[id_]
        busy = {turn.conversation for turn in self._turns.values() if not turn.ended}
        self._locks = {id_: lock for id_, lock in self._locks.items() if id_ in busy}


async def answer_of(turn: RunningTurn | FollowedTurn) -> dict[str, Any]:
    """What a turn ends with, once it has.

    Raises
    ------
    HttpProblem
        What it ended with instead.
    """
    events = [event async for event in turn.after(0) if event]
    if not events:
        raise HttpProblem(500, "the turn ended without an answer", "ask again")
    _, name, data = events[-1]
    if name == "problem":
        raise HttpProblem(int(data["status"]), data["detail"], data.get("remedy", ""))
    return data
