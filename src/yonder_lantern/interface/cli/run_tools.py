"""The tool protocol over a pipe, and how another program starts or reaches it."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Any

from ...core import optional
from ...desk import Desk
from .terminal import echo, echo_json


def serve_tools(desk: Desk, name: str) -> int:
    """Serve the tool protocol over standard input and output until they are closed.

    Raises
    ------
    MissingExtraError
        The package of the protocol is not installed.
    """
    optional("mcp", "tools", "the tool protocol")
    from ..tools import fixed_caller, tool_server

    tool_server(desk, fixed_caller(desk, name)).run("stdio")
    return 0


def explain_tools(
    desk: Desk, audience: Sequence[str], name: str, port: int, *, as_json: bool
) -> int:
    """Print command, arguments and address, from which any program's settings are written."""
    arguments = ["-m", "yonder_lantern", "serve", "--tools", "--desk", str(desk.folder.resolve())]
    for label in audience:
        arguments += ["--audience", label]
    if name != "owner":
        arguments += ["--as", name]
    told: dict[str, Any] = {
        "command": sys.executable,
        "arguments": arguments,
        "address": f"http://127.0.0.1:{port}/tools",
        "header": "Authorization: Bearer TOKEN",
    }
    if as_json:
        echo_json(told)
        return 0
    echo("A program on this machine starts it:")
    echo(f"  command    {told['command']}")
    for one in arguments:
        echo(f"  argument   {one}")
    echo()
    echo("Others reach it while `yonder serve` runs, with a token (--new-token NAME):")
    echo(f"  address    {told['address']}")
    echo(f"  header     {told['header']}")
    return 0
