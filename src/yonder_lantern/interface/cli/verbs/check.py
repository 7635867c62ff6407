"""``yonder check``."""

from __future__ import annotations

import textwrap
from dataclasses import asdict

import click

from ....desk import check_desk
from ..options import desk_options, example, open_desk
from ..showing import width
from ..terminal import AMBER, RED, SEA, displayed, echo, echo_json, style

_SIGNS = {"good": ("ok  ", SEA), "note": ("note", AMBER), "bad": ("BAD ", RED)}


@click.command("check", epilog=example("yonder check"))
@desk_options
def command(
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Check settings, sources, the question set and the index; say what to fix.

    Exit status 1 when something is bad.
    """
    found = check_desk(open_desk(folder, overrides))
    if as_json:
        echo_json([asdict(one) for one in found])
    else:
        for one in displayed(found):
            sign, colour = _SIGNS[one.state]
            told = textwrap.wrap(f"{one.about}: {one.finding}", width() - 5)
            first, *more = told or [""]
            echo(f"{style(sign, fg=colour, bold=True)} {first}")
            if one.remedy:
                more.append(f"to do: {one.remedy}")
            for line in more:
                echo(f"     {line}")
    return 1 if any(one.state == "bad" for one in found) else 0
