"""Turns that are being answered: each in a thread of its own, its events kept to be read again."""

from __future__ import annotations

import asyncio
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from ...core import Event, YonderError
from ...core.outgoing import event_out
from .problems import HttpProblem, status_of

_KEPT = 600.0  # seconds that a turn's events can be read again
_MOST = 1000  # turns whose events are kept
_AT_ONCE = 64  # turns under way
_TICK = 15.0  # seconds after which a silent stream says that it is alive


@dataclass
class RunningTurn:
    """A turn under way, or just ended.

    Attributes
    ----------
    id, conversation, visitor : str
    events : list of (str, dict)
        Named, in order; numbered from 1 by their place.
    """

    id: str
    conversation: str
    visitor: str
    events: list[tuple[str, dict[str, Any]]] = field(default_factory=list)
    ended: bool = False
    ended_at: float = 0.0
    cancel: threading.Event = field(default_factory=threading.Event)
    _waiting: list[Callable[[], None]] = field(default_factory=list)
    _guard: threading.Lock = field(default_factory=threading.Lock)

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
    """The turns of all conversations that are under way; those of one follow each other."""

    def __init__(self) -> None:
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
        mark = (visitor, conversation, key)
        with self._guard:
            self._forget()
            if key and (known := self._turns.get(self._by_key.get(mark, ""))):
                return known
            if sum(not one.ended for one in self._turns.values()) >= _AT_ONCE:
                raise HttpProblem(503, "too many questions are under way", "ask again soon",
                                  {"retry-after": "2"})  # fmt: skip
            turn = RunningTurn(secrets.token_urlsafe(12), conversation, visitor)
            self._turns[turn.id] = turn
            if key:
                self._by_key[mark] = turn.id
            lock = self._locks.setdefault(conversation, threading.Lock())
        threading.Thread(
            target=self._run, args=(turn, lock, events), name=f"turn {turn.id}", daemon=True
        ).start()
        return turn

    def find(self, visitor: str, conversation: str, id_: str) -> RunningTurn:
        """A turn that is under way or ended not long ago.

        Raises
        ------
        HttpProblem
            404: there is none, or it is somebody else's.
        """
        turn = self._turns.get(id_)
        if turn is None or (turn.visitor, turn.conversation) != (visitor, conversation):
            raise HttpProblem(404, "there is no such turn", "see the conversation's own turns")
        return turn

    @staticmethod
    def _run(
        turn: RunningTurn, lock: threading.Lock, events: Callable[[Any], Iterator[Event]]
    ) -> None:
        try:
            with lock:
                for event in events(turn.cancel):
                    turn.tell(*event_out(event))
        except HttpProblem as error:
            told = {"status": error.status, "detail": error.detail, "remedy": error.remedy}
            turn.tell("problem", told)
        except YonderError as error:
            status = status_of(error)
            turn.tell("problem", {"status": status, "detail": error.what, "remedy": error.remedy})
        except Exception:
            turn.tell("problem", {"status": 500, "detail": "something broke", "remedy": ""})
            raise
        finally:
            turn.end()

    def _forget(self) -> None:
        """Drop what nobody reads any more."""
        old = time.monotonic() - _KEPT
        for id_, turn in list(self._turns.items()):
            if turn.ended and (turn.ended_at < old or len(self._turns) > _MOST):
                del self._turns[id_]
        self._by_key = {key: id_ for key, id_ in self._by_key.items() if id_ in self._turns}
        busy = {turn.conversation for turn in self._turns.values() if not turn.ended}
        self._locks = {id_: lock for id_, lock in self._locks.items() if id_ in busy}
