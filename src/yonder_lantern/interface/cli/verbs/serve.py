"""``yonder serve``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

import click

from ....core import CallError, NothingGatheredError
from ....policy import AccessToken, AccessTokens
from ....text import one_line
from ..options import desk_options, example, open_desk
from ..run_server import serve
from ..terminal import echo, echo_json, faint

_LOOPBACK = ("127.0.0.1", "localhost", "::1")


@click.command("serve", epilog=example("yonder serve\nyonder serve --new-token site --days 90"))
@click.option("--port", type=click.IntRange(0, 65535), default=8800, show_default=True,
              metavar="N", help="Port to listen on; 0 picks a free one.")  # fmt: skip
@click.option("--host", default="127.0.0.1", show_default=True, metavar="ADDRESS",
              help="Address to listen on. Beyond this machine callers need a token.")  # fmt: skip
@click.option("--name", "names", multiple=True, metavar="HOST",
              help="A host name it is reached by: example.org. May be repeated.")  # fmt: skip
@click.option("--tokens", is_flag=True, help="List the access tokens.")
@click.option("--new-token", metavar="NAME", help="Make an access token and print it once.")
@click.option("--audience", multiple=True, metavar="LABEL",
              help="What the new token may see. May be repeated.  [default: public]")  # fmt: skip
@click.option("--days", type=float, metavar="N", help="Days until the new token expires.")
@click.option("--per-minute", type=int, default=60, show_default=True, metavar="N",
              help="Questions a minute that the new token allows; 0 for no limit.")  # fmt: skip
@click.option("--revoke", metavar="NAME", help="Revoke an access token.")
@desk_options
def command(
    port: int,
    host: str,
    names: tuple[str, ...],
    tokens: bool,
    new_token: str | None,
    audience: tuple[str, ...],
    days: float | None,
    per_minute: int,
    revoke: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,
) -> int:
    """Serve the desk over HTTP: a page for people, and resources for programs.

    On this machine callers without a token are the audience `public`. /openapi.json
    describes what there is.
    """
    desk = open_desk(folder, overrides)
    kept = AccessTokens(desk.state / "access")
    if new_token is not None:
        token = kept.make(new_token, audience or ("public",), days=days, per_minute=per_minute)
        if as_json:
            echo_json({"name": new_token, "token": token})
        else:
            echo(token)
            echo(faint("Keep it safe: it is shown only once. Send it as: Authorization: Bearer …"))
        return 0
    if revoke is not None:
        kept.revoke(revoke)
        echo(f"Revoked: {one_line(revoke)}")
        return 0
    if tokens:
        return _list(kept.all(), as_json=as_json)
    local = host in _LOOPBACK
    if not local and not kept.all():
        raise CallError(
            "beyond this machine nobody could come in: there is no access token",
            f"--host {host}",
            "make one with: yonder serve --new-token NAME",
        )
    try:
        desk.snapshot()
    except NothingGatheredError:
        echo(faint("Nothing has been gathered yet: /ready says so until it has."), err=True)
    serve(desk, host, port, names, open_to_public=local, debug=debug)
    return 0


def _list(tokens: Sequence[AccessToken], *, as_json: bool) -> int:
    """Print tokens, a line each, without what would open anything; 1 where there are none."""
    for one in tokens:
        if as_json:
            echo_json({key: value for key, value in asdict(one).items() if key != "hash"})
            continue
        until = f"until {one.expires[:10]}" if one.expires else "does not expire"
        state = "expired" if one.is_over() else until
        limit = f"{one.per_minute} a minute" if one.per_minute else "no limit"
        labels = ", ".join(map(one_line, one.audience))
        echo(f"{one_line(one.name):16}  {labels:20}  {state:18}  {limit}")
    if not tokens and not as_json:
        echo("There is no access token.")
    return 0 if tokens else 1
