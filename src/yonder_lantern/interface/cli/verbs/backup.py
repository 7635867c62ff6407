"""``yonder backup``."""

from __future__ import annotations

from pathlib import Path

import click

from ....text import one_line
from ..options import desk_options, example, open_desk
from ..terminal import echo, echo_json, waiting_for


@click.command("backup", epilog=example("yonder backup harbour-2026-12-01.tar.gz"))
@click.argument("file", metavar="FILE")
@desk_options
def command(
    file: str,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Copy settings and state into FILE, a tar archive, while everything runs.

    It holds conversations and the hashes of access tokens: keep it as safe as the desk. The
    documents themselves are not in it.
    """
    desk = open_desk(folder, overrides)
    with waiting_for("the backup"):
        made = desk.backup(Path(file))
    size = made.stat().st_size
    if as_json:
        echo_json({"file": file, "bytes": size})
    else:
        echo(f"Written: {one_line(file)} ({size / 1e6:.1f} MB)")
    return 0
