"""``yonder check``."""

from __future__ import annotations

import json
from dataclasses import asdict

import click

from ...desk.checking import check_desk
from ..options import desk_options, example, open_desk
from ..showing import AMBER, SEA

_RED = (178, 34, 34)
_SIGNS = {"good": ("ok  ", SEA), "note": ("note", AMBER), "bad": ("BAD ", _RED)}


@click.command("check", epilog=example("yonder check"))
@desk_options
def command(
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Check settings, sources, the question set and the index; say what to mend.

    Exit status 1 when something is bad.
    """
    found = check_desk(open_desk(folder, overrides))
    if as_json:
        click.echo(json.dumps([asdict(one) for one in found], ensure_ascii=False))
    else:
        for one in found:
            sign, colour = _SIGNS[one.state]
            click.echo(f"{click.style(sign, fg=colour, bold=True)} {one.about}: {one.finding}")
            if one.remedy:
                click.echo(f"     to do: {one.remedy}")
    return 1 if any(one.state == "bad" for one in found) else 0
