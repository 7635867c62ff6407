"""``yonder demo``."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from typing import Any

import click

from ....core.outgoing import AnswerOut, GatherOut, as_plain
from ....demo import copy_demo, demo_services, make_box_page
from ....desk import Desk
from ..options import example
from ..progress import progress_shown
from ..run_server import Serving, serve
from ..showing import show_answer
from ..showing_grades import show_grades
from ..showing_hits import show_result
from ..terminal import AMBER, echo, echo_json, faint, style
from .gather import show_report

_FIND = "What is BL-60?"
_ASK = "How do I report a near miss?"
_TABLE = "What are the landing dues on fish?"
_UNKNOWN = "How do I renew my passport?"
_SECRET = "How much petty cash is in the safe?"


@click.command("demo", epilog=example("yonder demo\nyonder demo --serve"))
@click.argument("folder", metavar="[DIR]", default="saltgarth-demo")
@click.option("--serve", "served", is_flag=True, help="End in the page, at --port.")
@click.option("--port", type=click.IntRange(0, 65535), default=8800, show_default=True, metavar="N")
@click.option("--json", "as_json", is_flag=True, help="Print JSON, for programs.")
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(folder: str, served: bool, port: int, as_json: bool, debug: bool) -> int:
    """Run the whole job on the shipped demo documents, in DIR, in about two minutes.

    The documents are those of the Saltgarth Harbour Trust, which does not exist.
    """
    target = Path(folder)
    copied = copy_demo(target)
    desk = Desk.open(target)
    with progress_shown() as progress:
        with demo_services(target):
            report = desk.gather(progress=progress)
        grades = desk.grade(processes=0, progress=progress) if as_json else None
    if as_json and grades is not None:
        shown: dict[str, Any] = {
            "folder": str(target),
            "gathered": as_plain(GatherOut.of(report)),
            "answers": [
                as_plain(AnswerOut.of(desk.ask(_ASK))),
                as_plain(AnswerOut.of(desk.ask(_SECRET, audience=["public"]))),
            ],
            "grades": grades.as_dict()["summary"],
        }
        echo_json(shown)
        return 0
    said = "Copied the demo desk to" if copied else "The demo desk is already in"
    echo(f"{said} {target}/. Everything in it is made up.")
    _step("yonder gather")
    show_report(report)
    _step(f'yonder find "{_FIND}" --why --limit 2')
    show_result(desk.search(_FIND, limit=2), why=True)
    _step(f'yonder ask "{_ASK}"')
    show_answer(desk.ask(_ASK))
    for year in ("2025-10-01", "2026-10-01"):
        _step(f'yonder ask "{_TABLE}" --as-of {year}')
        show_answer(desk.ask(_TABLE, as_of=year))
    _step(f'yonder ask "{_UNKNOWN}"')
    show_answer(desk.ask(_UNKNOWN))
    for label in ("crew", "public"):
        _step(f'yonder ask "{_SECRET}" --audience {label}')
        show_answer(desk.ask(_SECRET, audience=[label]))
    _grade(desk, target)
    echo()
    echo(
        f"Now try it yourself:\n  cd {target}\n  yonder talk\n  yonder serve\n  yonder trace --last"
    )
    if served:
        _step("yonder serve")
        with demo_services(target):
            if port:
                page = make_box_page(target, f"http://127.0.0.1:{port}")
                echo(f"The trust's own page, with a box: {page}")
            serve(desk, Serving("127.0.0.1", port, allow_visitors=True, debug=debug))
    return 0


def _grade(desk: Desk, target: Path) -> None:
    drawn = importlib.util.find_spec("matplotlib") is not None
    _step("yonder grade" + (" --figure grades.png" if drawn else ""))
    with progress_shown() as progress:
        grades = desk.grade(processes=0, progress=progress)
    show_grades(grades)
    if drawn:
        from ....evaluation import draw_grades

        draw_grades(grades, target / "grades.png")
        echo(f"\nWritten: {target / 'grades.png'}")
    else:
        echo(
            faint(
                "\nNo figure: Matplotlib is not installed (pip install 'yonder-lantern[figures]')."
            )
        )


def _step(what: str) -> None:
    echo()
    echo(style(f"$ {what}", fg=AMBER, bold=True))
