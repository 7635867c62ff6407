"""``yonder restore``."""

from __future__ import annotations

from pathlib import Path

import click

from ....desk import restore, restore_servers
from ..options import desk_options, example, open_desk
from ..terminal import echo, echo_json, waiting_for


@click.command("restore", epilog=example("yonder restore harbour-2026-12-01.tar.gz"))
@click.argument("file", metavar="[FILE]", required=False)
@desk_options
def command(
    file: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Put a backup's settings and state in place of what is there.

    The desk must not be served meanwhile. All of FILE is unpacked and checked first: a damaged
    one changes nothing. Without FILE, a restore that was interrupted is finished.
    """
    with waiting_for("the restore"):
        done = restore(Path(folder), Path(file) if file else None)
        desk = open_desk(folder, overrides)
        restore_servers(Path(folder), desk.stores())
    if as_json:
        echo_json({"made": done.made, "version": done.version, "files": done.files})
        return 0
    echo(f"Restored: {done.files} files of the backup of {done.made} (version {done.version}).")
    echo("What has changed in the sources since then is read by: yonder gather")
    return 0
