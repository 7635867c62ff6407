"""``yonder new``."""

from __future__ import annotations

from pathlib import Path

import click

from ....desk import start_folder
from ..options import example
from ..terminal import echo, echo_json


@click.command("new", epilog=example("yonder new harbour"))
@click.argument("folder", metavar="DIR")
@click.option("--json", "as_json", is_flag=True, help="Print JSON, for programs.")
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(folder: str, as_json: bool, debug: bool) -> int:  # noqa: ARG001
    """Start a desk in DIR: settings, a place for documents, a question set.

    Files that are there already are left as they are.
    """
    made = start_folder(Path(folder))
    if as_json:
        echo_json({"folder": folder, "made": made})
        return 0
    for name in made:
        echo(f"made  {folder}/{name}")
    if not made:
        echo(f"{folder} has everything already.")
    echo(f"\nNow put documents into {folder}/documents, then:\n  cd {folder}\n  yonder gather")
    return 0
