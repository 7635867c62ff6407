"""``yonder check``."""

from __future__ import annotations

import textwrap
from dataclasses import asdict
from pathlib import Path

import click

from ....core import CallError
from ....desk import Desk, check_desk, draw_dialogues, expected_turns, missed_turns
from ..options import desk_options, example, open_desk
from ..showing import width
from ..terminal import AMBER, RED, SEA, displayed, echo, echo_json, style

_SIGNS = {"good": ("ok  ", SEA), "note": ("note", AMBER), "bad": ("BAD ", RED)}


@click.command("check", epilog=example("yonder check\nyonder check --turns turns.jsonl"))
@click.option("--draw", metavar="FOLDER",
              help="Draw each dialogue into this folder, as SVG.")  # fmt: skip
@click.option("--turns", metavar="FILE",
              help="Test the conversations in this file; report turns that fail.")  # fmt: skip
@desk_options
def command(
    draw: str | None,
    turns: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Check settings, sources, the question set and the index; say what to fix.

    Exit status 1 when something is bad.
    """
    desk = open_desk(folder, overrides)
    if draw or turns:
        return _draw(desk, draw, as_json=as_json) if draw else _hold(desk, turns or "", as_json)
    found = check_desk(desk)
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


def _draw(desk: Desk, folder: str, *, as_json: bool) -> int:
    """Draw the dialogues; 1 where there are none."""
    written = draw_dialogues(desk, Path(folder))
    if as_json:
        echo_json([str(path) for path in written])
    for path in () if as_json else written:
        echo(f"Drawn: {path}")
    if not written and not as_json:
        echo("The settings have no [[dialogue]].")
    return 0 if written else 1


def _hold(desk: Desk, file: str, as_json: bool) -> int:
    """Hold expected conversations; 1 where a turn comes out otherwise."""
    expected = expected_turns(Path(file))
    if not expected:
        raise CallError("the file holds no conversation", file, "write one a line")
    missed = missed_turns(desk, expected)
    if as_json:
        echo_json([asdict(one) for one in missed])
        return 1 if missed else 0
    for one in displayed(missed):
        echo(f"{style('BAD ', fg=RED, bold=True)} {one.conversation}, turn {one.number}: {one.say}")
        for line in textwrap.wrap(one.why, width() - 5):
            echo(f"     {line}")
    count = sum(len(one.turns) for one in expected)
    echo(f"{count - len(missed)} of {count} turns came out as expected.")
    return 1 if missed else 0
