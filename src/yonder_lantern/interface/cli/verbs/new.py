"""``yonder new``."""

from __future__ import annotations

from pathlib import Path

import click

from ....desk import STARTERS, Starter, add_deployment, start_folder
from ....settings import SETTINGS_FILE
from ..options import example
from ..terminal import echo, echo_json


@click.command("new", epilog=example("yonder new harbour\nyonder new harbour --starter site"))
@click.argument("folder", metavar="DIR")
@click.option("--starter", type=click.Choice(STARTERS),
              help="Begin with an example that runs: documents, a site with a box, or a database "
              "with look-ups.")  # fmt: skip
@click.option("--deploy", "host", metavar="HOST",
              help="Write a systemd unit, a container file and a proxy for this host.")  # fmt: skip
@click.option("--json", "as_json", is_flag=True, help="Print JSON, for programs.")
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(
    folder: str,
    starter: Starter | None,
    host: str | None,
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Start a desk in DIR: settings, a place for documents, a question set.

    Existing files are not changed.
    """
    place = Path(folder)
    made = [] if host and (place / SETTINGS_FILE).is_file() else start_folder(place, starter or "")
    if host:
        made += add_deployment(place, host)
    if as_json:
        echo_json({"folder": folder, "made": made})
        return 0
    for name in made:
        echo(f"made  {folder}/{name}")
    if not made:
        echo(f"{folder} has everything already.")
    if host:
        echo("\nEach file says at its top where it goes; see docs/howto/deploy.md.")
    elif starter:
        echo(f"\nIt runs at once:\n  cd {folder}\n  python run.py")
    else:
        _next_steps(folder)
    return 0


def _next_steps(folder: str) -> None:
    echo(f"\nNow put documents into {folder}/documents, then:\n  cd {folder}\n  yonder gather")
