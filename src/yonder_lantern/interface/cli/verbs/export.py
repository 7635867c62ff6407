"""``yonder export``."""

from __future__ import annotations

import click

from ..options import caller_options, desk_options, example, open_desk
from ..showing import counted
from ..terminal import echo, echo_json


@click.command(
    "export",
    epilog=example(
        "yonder export vectors.npz\n"
        "yonder export tariffs.parquet --where \"source = 'tariffs'\" --audience public"
    ),
)
@click.argument("file")
@click.option(
    "--where", metavar="CONDITION", default="", help='Filter on metadata, e.g. "year >= 2025".'
)
@caller_options
@desk_options
def command(
    file: str,
    where: str,
    audience: tuple[str, ...],
    as_of: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Write vectors with their passages and metadata to FILE, as .npz or .parquet.

    Exit status 1 when the filter lets nothing through.
    """
    desk = open_desk(folder, overrides)
    desk.check_audience(audience)
    table = desk.as_caller(audience or None, as_of).vectors(where=where)
    if table.keys:  # an earlier file is not lost to a filter that lets nothing through
        table.write(file)
    size = table.vectors.shape[1]
    if as_json:
        shown = {"file": file, "passages": len(table.keys), "dimensions": size}
        echo_json(shown)
    else:
        where_to = file if table.keys else "nothing is written"
        echo(f"{counted(len(table.keys), 'passage')}, {size} dimensions: {where_to}")
    return 0 if table.keys else 1
