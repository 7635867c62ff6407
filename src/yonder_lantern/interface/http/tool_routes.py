"""The tool protocol over HTTP, beside the other routes: with their tokens, rates and budgets."""

from __future__ import annotations

import asyncio
import importlib.util
from typing import Any

from starlette.types import Receive, Scope, Send

from ...core import CallError
from .problems import HttpProblem
from .served import Served

TOOLS_PATH = "/tools"


def tools_are_installed() -> bool:
    """Whether the package of the protocol is there: it is an extra."""
    return importlib.util.find_spec("mcp") is not None


class ToolRoute:
    """The tool protocol as an ASGI application, started with the first call.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served
        self._app: Any = None
        self._lock = asyncio.Lock()
        self._running: asyncio.Task[None] | None = None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request."""
        async with self._lock:
            if self._app is None:
                self._app = await self._started()
        await self._app(scope, receive, send)

    async def _started(self) -> Any:
        from mcp.server.transport_security import TransportSecuritySettings

        from ..tools import tool_server

        server = tool_server(self._served.doorman.desk, self._caller)
        # Hosts and origins are checked for all routes alike, before this one.
        app = server.streamable_http_app(
            streamable_http_path=TOOLS_PATH,
            stateless_http=True,
            transport_security=TransportSecuritySettings(enable_dns_rebinding_protection=False),
        )
        ready = asyncio.Event()

        async def run() -> None:  # its tasks must begin and end in one task
            async with server.session_manager.run():
                ready.set()
                await asyncio.Event().wait()

        self._running = asyncio.create_task(run())
        await ready.wait()
        return app

    def _caller(self, context: Any) -> Any:
        from ..tools import GRADE, ToolCaller

        request = context.request_context.request
        try:
            caller = self._served.caller(request)
            rights = caller.rights | ({GRADE} if not caller.name else set())

            def count() -> None:
                self._served.doorman.count(caller)

            return ToolCaller(
                caller.known_as,
                caller.desk,
                frozenset(rights),
                count,
                lambda answer: self._served.answered(caller, answer),
            )
        except HttpProblem as problem:
            raise CallError(str(problem), "token", "see who may call") from None
