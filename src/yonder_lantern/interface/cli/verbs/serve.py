"""``yonder serve``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

import click

from ....core import CallError, NothingGatheredError
from ....desk import Desk
from ....policy import RIGHTS, AccessToken, AccessTokens, SignIns
from ....text import one_line
from ..options import desk_options, example, open_desk
from ..run_server import LogForm, Serving, serve
from ..run_tools import explain_tools, serve_tools
from ..terminal import echo, echo_json, faint

_LOOPBACK = ("127.0.0.1", "localhost", "::1")
_SIGN_IN_MINUTES = 60 * 24


@click.command("serve", epilog=example("yonder serve\nyonder serve --new-token site --days 90"))
@click.option("--port", type=click.IntRange(0, 65535), default=8800, show_default=True,
              metavar="N", help="Port to listen on; 0 picks a free one.")  # fmt: skip
@click.option("--host", default="127.0.0.1", show_default=True, metavar="ADDRESS",
              help="Address to listen on.")  # fmt: skip
@click.option("--allow-visitors/--no-visitors", default=None,
              help="Let callers without a token in, as the audience `public`.  "
                   "[default: serve.allow_visitors]")  # fmt: skip
@click.option("--proxy", "proxies", multiple=True, metavar="ADDRESS",
              help="Believe this proxy who calls (X-Forwarded-For). May be repeated.")  # fmt: skip
@click.option("--name", "names", multiple=True, metavar="HOST",
              help="Accept requests for this host name: example.org. May be repeated.")  # fmt: skip
@click.option("--workers", type=click.IntRange(1, 64), default=1, show_default=True, metavar="N",
              help="Processes that serve.")  # fmt: skip
@click.option("--beside", multiple=True, metavar="DIR",
              help="Also serve this desk, at /FOLDER/.")  # fmt: skip
@click.option("--log", type=click.Choice(["text", "json"]), default="text", show_default=True,
              help="Form of the log's lines.")  # fmt: skip
@click.option("--tools", is_flag=True,
              help="Serve the tool protocol to the program that starts this.")  # fmt: skip
@click.option("--explain", is_flag=True,
              help="With --tools: print the command and URL for a client's settings.")  # fmt: skip
@click.option("--as", "as_name", default="owner", metavar="NAME",
              help="With --tools: the author of the notes it saves.")  # fmt: skip
@click.option("--tokens", is_flag=True, help="List the access tokens.")
@click.option("--new-token", metavar="NAME", help="Make an access token and print it once.")
@click.option("--sign-in", metavar="NAME", help="Make a link that signs a person in once.")
@click.option("--owner-link", is_flag=True,
              help="Make a link that signs you in once as the desk's owner.")  # fmt: skip
@click.option("--replace", is_flag=True,
              help="With --new-token: replace the token of that name.")  # fmt: skip
@click.option("--audience", multiple=True, metavar="LABEL",
              help="What the new token or person may see.  [default: public]")  # fmt: skip
@click.option("--right", "rights", multiple=True, type=click.Choice(RIGHTS),
              help="What the new token may do. May be repeated.  [default: ask]")  # fmt: skip
@click.option("--site", "sites", multiple=True, metavar="URL",
              help="A web site with a box that the new token is for. May be repeated.")  # fmt: skip
@click.option("--days", type=float, metavar="N",
              help="Days until the token expires; for a sign-in link, 1 by default.")  # fmt: skip
@click.option("--per-minute", type=int, default=60, show_default=True, metavar="N",
              help="Questions a minute that the new token allows; 0 for no limit.")  # fmt: skip
@click.option("--per-day", default="", metavar="AMOUNT",
              help="What the new token's answers may cost in a day.")  # fmt: skip
@click.option("--revoke", metavar="NAME", help="Revoke an access token.")
@desk_options
def command(
    port: int,
    host: str,
    allow_visitors: bool | None,
    proxies: tuple[str, ...],
    names: tuple[str, ...],
    workers: int,
    beside: tuple[str, ...],
    log: LogForm,
    tools: bool,
    explain: bool,
    as_name: str,
    tokens: bool,
    new_token: str | None,
    sign_in: str | None,
    owner_link: bool,
    replace: bool,
    audience: tuple[str, ...],
    rights: tuple[str, ...],
    sites: tuple[str, ...],
    days: float | None,
    per_minute: int,
    per_day: str,
    revoke: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,
) -> int:
    """Serve the desk over HTTP: a page for people, and resources for programs.

    Nobody comes in without a token or a sign-in link, unless the settings or --allow-visitors let
    the public in. On a terminal, a link printed at the start signs you in as the owner. /docs
    describes what there is.
    """
    desk = open_desk(folder, overrides)
    if tools or explain:
        if explain:
            return explain_tools(desk, audience, as_name, port, as_json=as_json)
        return serve_tools(desk.as_caller(audience) if audience else desk, as_name)
    kept = AccessTokens(desk.state / "access")
    labels = audience or ("public",)
    if new_token is not None:
        desk.check_audience(labels)
        token = kept.make(new_token, labels, days=days, per_minute=per_minute,
                          rights=rights or ("ask",), per_day=per_day, sites=sites,
                          replace=replace)  # fmt: skip
        _show_once(token, new_token, as_json=as_json, is_box=bool(sites))
        return 0
    if sign_in is not None or owner_link:
        minutes = days * 60 * 24 if days else _SIGN_IN_MINUTES
        desk.check_audience(labels)
        code = SignIns(desk.state / "access").make_link(
            sign_in or "owner", None if owner_link else labels, minutes=minutes
        )
        if as_json:
            echo_json({"name": sign_in or "owner", "path": f"/sign-in/{code}"})
        else:
            echo(f"/sign-in/{code}")
            echo(faint("Put the server's address before it. It works once."))
        return 0
    if revoke is not None:
        kept.revoke(revoke)
        echo(f"Revoked: {one_line(revoke)}")
        return 0
    if tokens:
        return _list(kept.all(), as_json=as_json)
    visitors = desk.settings.serve.allow_visitors if allow_visitors is None else allow_visitors
    closed = not (visitors or kept.all() or desk.settings.serve.openid)
    if closed and host not in _LOOPBACK:
        raise CallError(
            "nobody could come in: there is no access token",
            f"--host {host}",
            "make one with: yonder serve --new-token NAME; or let everybody in as the public: "
            "--allow-visitors",
        )
    try:
        desk.snapshot()
    except NothingGatheredError:
        echo(faint("Nothing has been gathered yet: /ready says so until it has."), err=True)
    desk.close()  # each process opens the index for itself
    serving = Serving(host, port, names, allow_visitors, proxies, workers, log, debug)
    others: dict[str, Desk] = {}
    for one in beside:
        name = Path(one).resolve().name
        if name in (*others, desk.folder.resolve().name):
            raise CallError(f"two desks are called {name!r}", f"--beside {one}", "rename one")
        others[name] = open_desk(one, overrides)
    serve(desk, serving, others)
    return 0


def _show_once(token: str, name: str, *, as_json: bool, is_box: bool) -> None:
    """Print a new token, which is not kept."""
    if as_json:
        echo_json({"name": name, "token": token})
        return
    echo(token)
    if is_box:
        echo(
            faint("For the box: it stands on your pages, and is no secret. See docs/howto/box.md.")
        )
    else:
        echo(faint("Keep it safe: it is shown only once. Send it as: Authorization: Bearer …"))


def _list(tokens: Sequence[AccessToken], *, as_json: bool) -> int:
    """Print tokens, a line each, without what would open anything; 1 where there are none."""
    for one in tokens:
        if as_json:
            echo_json({key: value for key, value in asdict(one).items() if key != "hash"})
            continue
        until = f"until {one.expires[:10]}" if one.expires else "does not expire"
        state = "expired" if one.is_over() else until
        limit = f"{one.per_minute} a minute" if one.per_minute else "no limit"
        spends = f", {one.per_day} a day" if one.per_day else ""
        labels = ", ".join(map(one_line, one.audience))
        may = ", ".join(one.rights) if not one.sites else f"box on {', '.join(one.sites)}"
        echo(f"{one_line(one.name):16}  {labels:20}  {state:18}  {limit}{spends}  {may}")
    if not tokens and not as_json:
        echo("There is no access token.")
    return 0 if tokens else 1
