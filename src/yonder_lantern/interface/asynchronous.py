"""A desk for programs that run an event loop: the same calls, awaited."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import AsyncIterator, Callable, Iterator, Sequence
from functools import partial
from typing import Any, TypeVar, Unpack

from ..conversation import Conversation, Turn
from ..core import Answer, Article, Event, GatherReport, Hit, Query, QueryParts, query_of
from ..desk import Desk

_Result = TypeVar("_Result")
_END: Any = object()


class AsyncDesk:
    """A desk whose calls can be awaited, and whose streams are async iterators.

    The work is done in threads; the loop goes on meanwhile. A stream that is left, or whose task
    is cancelled, stops the work.

    Parameters
    ----------
    desk : Desk
        Opened; as its owner or a caller sees it.

    Examples
    --------
    >>> import asyncio, tempfile, pathlib
    >>> folder = pathlib.Path(tempfile.mkdtemp())
    >>> _ = (folder / "yonder.toml").write_text("")
    >>> (folder / "documents").mkdir()
    >>> _ = (folder / "documents" / "quay.md").write_text("The quay closes at 22:00 each night.")
    >>> async def main() -> str:
    ...     desk = AsyncDesk(Desk.open(folder))
    ...     await desk.gather()
    ...     return (await desk.find("When does the quay close?"))[0].document
    >>> asyncio.run(main())
    'documents/quay.md'
    """

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    async def find(self, query: Query | str, **parts: Unpack[QueryParts]) -> list[Hit]:
        """See `Desk.find`."""
        return await _in_thread(partial(self.desk.find, query, **parts))

    async def ask(self, query: Query | str, **parts: Unpack[QueryParts]) -> Answer:
        """See `Desk.ask`."""
        return await _in_thread(partial(self.desk.ask, query, **parts))

    async def write(
        self,
        query: Query | str,
        *,
        sections: int = 5,
        voices: Sequence[str] = (),
        **parts: Unpack[QueryParts],
    ) -> Article:
        """See `Desk.write`."""
        write = partial(self.desk.write, sections=sections, voices=voices)
        return await _in_thread(partial(write, query, **parts))

    async def talk(
        self, query: Query | str, conversation: Conversation, **parts: Unpack[QueryParts]
    ) -> tuple[Answer, Turn]:
        """See `Desk.talk`."""
        return await _in_thread(partial(self.desk.talk, query, conversation, **parts))

    async def gather(self, **options: Any) -> GatherReport:
        """See `Desk.gather`."""
        return await _in_thread(partial(self.desk.gather, **options))

    def stream(self, query: Query | str, **parts: Unpack[QueryParts]) -> AsyncIterator[Event]:
        """See `Desk.stream`."""
        whole = query_of(query, parts)
        return _streamed(lambda stop: self.desk.stream(whole, cancel=stop))

    def stream_turn(
        self, query: Query | str, conversation: Conversation, **parts: Unpack[QueryParts]
    ) -> AsyncIterator[Event]:
        """See `Desk.stream_turn`."""
        whole = query_of(query, parts)
        return _streamed(lambda stop: self.desk.stream_turn(whole, conversation, cancel=stop))


async def _in_thread(work: Callable[[], _Result]) -> _Result:
    return await asyncio.to_thread(work)


async def _streamed(
    begin: Callable[[threading.Event], Iterator[Event]],
) -> AsyncIterator[Event]:
    """The events of a stream, each worked out in a thread."""
    stop = threading.Event()
    events = begin(stop)
    step: Callable[[], Any] = partial(next, events, _END)
    try:
        while (event := await asyncio.to_thread(step)) is not _END:
            yield event
    finally:
        stop.set()
