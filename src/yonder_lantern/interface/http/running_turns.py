"""Turns that are being answered: each in a thread of its own, its events kept to be read again."""

from __future__ import annotations

import asyncio
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import AsyncIterator, Callable, Generator, Iterator
from contextlib import closing, suppress
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from ...core import Event, YonderError
from ...core.outgoing import event_out
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
    id, conversation, visitor : str
    events : list of (str, dict)
        Named, in order; numbered from 1 by their place.
    readers : int
        How many follow it now.
    left_at : float
        When the last of them went away, on the monotonic clock; 0 before.
    """

    id: str
    conversation: str
    visitor: str
    events: list[tuple[str, dict[str, Any]]] = field(default_factory=list)
    ended: bool = False
    ended_at: float = 0.0
    cancel: Stop = field(default_factory=threading.Event)
    readers: int = 0
    left_at: float = 0.0
    _waiting: list[Callable[[], None]] = field(default_factory=list)
    _guard: threading.Lock = field(default_factory=threading.Lock)

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
        self._by_key: dict[tuple[str, str, str], str] = {}
        self._locks: dict[str, threading.Lock] = {}
        self._guard = threading.Lock()

    def begin(
        self, visitor: str, conversation: str, key: str, events: Callable[[Any], Iterator[Event]]
    ) -> RunningTurn:
        """Begin a turn, or find the one that was begun with the same key.

        Parameters
        ----------
        visitor, conversation : str
        key : str
            Of whoever asks: the same one again is the same turn. Empty: always a new one.
        events : callable
            Gives the turn's events; takes a cancel signal.

        Raises
        ------
        HttpProblem
            503: too many are under way.
        """

        def told(cancel: Any) -> Named:
            for event in events(cancel):
                yield event_out(event)

        return self.begin_told(visitor, conversation, key, told)

    def begin_told(self, visitor: str, conversation: str, key: str, told: Told) -> RunningTurn:
        """The same with events that are named already."""
        mark = (visitor, conversation, key)
        with self._guard:
            self._forget()
            if key and (known := self._turns.get(self._by_key.get(mark, ""))):
                return known
            if sum(not one.ended for one in self._turns.values()) >= self._at_once:
                raise HttpProblem(503, "too many questions are under way", "ask again soon",
                                  {"retry-after": "2"})  # fmt: skip
            turn = RunningTurn(secrets.token_urlsafe(12), conversation, visitor)
            if self._shared is not None:
                turn.cancel = self._shared.begin(turn.id, conversation, visitor)
            self._turns[turn.id] = turn
            if key:
                self._by_key[mark] = turn.id
            lock = self._locks.setdefault(conversation, threading.Lock())
        threading.Thread(
            target=self._run, args=(turn, lock, told), name=f"turn {turn.id}", daemon=True
        ).start()
        return turn

    def find(self, visitor: str, conversation: str, id_: str) -> RunningTurn | FollowedTurn:
        """A turn that is under way or ended not long ago.

        Raises
        ------
        HttpProblem
            404: there is none, or it is somebody else's.
        """
        turn: RunningTurn | FollowedTurn | None = self._turns.get(id_)
        if turn is None and self._shared is not None:
            turn = self._shared.find(id_)
        if turn is None or (turn.visitor, turn.conversation) != (visitor, conversation):
            raise HttpProblem(404, "there is no such turn", "see the conversation's own turns")
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
        self._by_key = {key: id_ for key, id_ in self._by_key.items() if id_ in self._turns}
        busy = {turn.conversation for turn in self._turns.values() if not turn.ended}
        self._locks = {id_: lock for id_, lock in self._locks.items() if id_ in busy}
