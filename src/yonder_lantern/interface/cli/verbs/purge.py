"""``yonder purge``."""

from __future__ import annotations

import click

from ....core import CallError
from ..options import desk_options, example, open_desk
from ..progress import progress_shown
from ..showing_purge import show_purge
from ..terminal import echo, echo_json


@click.command(
    "purge",
    epilog=example(
        "yonder purge --document documents/leavers.md\nyonder purge --person ann\n"
        "yonder purge --expired"
    ),
)
@click.option("--document", "documents", multiple=True, metavar="ID",
              help="Remove the words of this document, which is gone from its source. May be "
              "repeated.")  # fmt: skip
@click.option("--person", default="", metavar="NAME",
              help="Remove this person's conversations, traces, notes and tokens.")  # fmt: skip
@click.option("--expired", is_flag=True, help="Remove what is older than [retention] says.")
@desk_options
def command(
    documents: tuple[str, ...],
    person: str,
    expired: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Remove the words of a document or a person from every file of the desk, for good.

    What quoted them is redacted with a mark, and the index is built anew from what stays. Backups
    and what a server logged elsewhere are not reached.
    """
    if not (documents or person or expired):
        raise CallError("nothing is named that is to go", "purge", "see yonder purge --help")
    desk = open_desk(folder, overrides)
    if expired:
        swept = desk.sweep()
        if as_json:
            echo_json({"swept": dict(swept)})
        else:
            echo("Removed: " + (", ".join(f"{name} {count}" for name, count in swept.items())
                                or "nothing is that old") + ".")  # fmt: skip
        if not (documents or person):
            return 0
    with progress_shown() as progress:
        report = desk.purge(documents, person, progress=progress)
    show_purge(report, as_json=as_json)
    return 0
