"""Running the HTTP interface in this process."""

from __future__ import annotations

import socket
from collections.abc import Sequence
from contextlib import suppress

from ...core import CallError, optional
from ...desk import Desk
from .terminal import waiting_for


def serve(
    desk: Desk,
    host: str,
    port: int,
    names: Sequence[str] = (),
    *,
    open_to_public: bool = True,
    debug: bool = False,
) -> None:
    """Serve a desk until it is told to stop; see `app` for what the values mean."""
    with waiting_for("the server"):
        uvicorn = optional("uvicorn", "serve", "serving")
        optional("starlette", "serve", "serving")
        from ..http import LOOPBACK, app
    made = app(desk, hosts=(*LOOPBACK, *names), open_to_public=open_to_public)
    settings = uvicorn.Config(
        made,
        host=host,
        port=port,
        log_level="debug" if debug else "info",
        timeout_graceful_shutdown=30,
        server_header=False,
        h11_max_incomplete_event_size=16 * 1024,
    )
    _refuse_taken(host, port)
    with suppress(KeyboardInterrupt):  # Ctrl-C is how it ends
        uvicorn.Server(settings).run()


def _refuse_taken(host: str, port: int) -> None:
    """Say in plain words that an address cannot be listened on.

    Raises
    ------
    CallError
        Something else listens there, or it is no address of this machine.
    """
    try:
        with socket.create_server((host, port), family=_family(host)):
            pass
    except OSError as error:
        reason = (error.strerror or str(error)).partition(" (while")[0]  # the address again
        raise CallError(
            f"nothing can listen on {host}, port {port}: {reason}",
            f"--host {host} --port {port}",
            "choose another port; 0 picks a free one",
        ) from None


def _family(host: str) -> socket.AddressFamily:
    return socket.AF_INET6 if ":" in host else socket.AF_INET
