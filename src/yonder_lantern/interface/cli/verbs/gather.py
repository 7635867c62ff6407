"""``yonder gather``."""

from __future__ import annotations

from collections.abc import Callable

import click

from ....core import CallError, GatherReport, Problem
from ....core.outgoing import GatherOut, as_plain
from ....desk import Desk
from ..main import INTERRUPTED
from ..options import desk_options, example, open_desk, until_interrupted
from ..progress import progress_shown
from ..showing import counted
from ..showing_purge import show_purge
from ..terminal import RED, displayed, echo, echo_json, faint, style

_COLUMNS = ("added", "changed", "moved", "unchanged", "removed", "failed", "skipped")
_MOST_ALIKE = 3  # problems with the same reason, from which on only the items are listed


@click.command(
    "gather",
    epilog=example(
        "yonder gather\nyonder gather --dry-run\nyonder gather --source handbook\n"
        "yonder gather --add documents/plans/winter.pdf"
    ),
)
@click.option(
    "--source",
    "sources",
    multiple=True,
    metavar="NAME",
    help="Gather only this source. May be repeated.",
)
@click.option(
    "--add",
    metavar="ADDRESS",
    help="Add a file, folder or address to the settings as a source, and gather it.",
)
@click.option("--name", default="", metavar="NAME", help="With --add: the name of the source.")
@click.option(
    "--audience", multiple=True, metavar="LABEL", help="With --add: who may see it. [public]"
)
@click.option(
    "--watch", is_flag=True, help="Keep running: gather whenever a file of a folder changes."
)
@click.option("--dry-run", is_flag=True, help="Show what would change and cost; write nothing.")
@click.option("--rebuild", is_flag=True, help="Read everything again into a new index.")
@click.option(
    "--allow-empty", is_flag=True, help="Remove the documents of a source that has become empty."
)
@click.option(
    "--purge", is_flag=True, help="Remove the words of documents that have left their sources."
)
@click.option("--strict", is_flag=True, help="Exit with status 1 when an item failed.")
@desk_options
def command(
    sources: tuple[str, ...],
    add: str | None,
    name: str,
    audience: tuple[str, ...],
    watch: bool,
    dry_run: bool,
    rebuild: bool,
    allow_empty: bool,
    purge: bool,
    strict: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Bring the index up to date with the sources.

    What has not changed is not read again. Questions are answered from the
    earlier index until the new one is complete. A source that cannot be read
    keeps its documents.
    """
    if (name or audience) and not add:
        raise CallError("--name and --audience belong to --add", "gather", "name what to add")
    if watch and (add or dry_run or rebuild):
        raise CallError(
            "--watch goes with none of --add, --dry-run, --rebuild", "gather", "leave one"
        )
    if purge and (watch or add or dry_run or rebuild or sources):
        raise CallError("--purge gathers all, as it is", "gather", "leave the other options out")
    desk = open_desk(folder, overrides)
    show = _show_as_json if as_json else show_report
    if watch:
        return _watch(desk, show)
    purged = None
    with progress_shown() as progress, until_interrupted() as cancel:
        if purge:
            report, purged = desk.gather_and_purge(progress=progress, cancel=cancel)
        elif add:
            report = desk.add_source(
                add,
                name=name,
                audience=audience or ("public",),
                progress=progress,
                cancel=cancel,
            )
        else:
            report = desk.gather(
                sources=sources,
                dry_run=dry_run,
                rebuild=rebuild,
                allow_empty=allow_empty,
                progress=progress,
                cancel=cancel,
            )
    if add and not as_json:
        (added,) = report.sources
        echo(f"Written to yonder.toml: source {added!r}.\n")
    show(report)
    if purged is not None:
        show_purge(purged, as_json=as_json)
    if not (report.documents or dry_run or allow_empty):
        return 1  # there is nothing to ask about
    return 1 if strict and report.failed else 0


def _watch(desk: Desk, show: Callable[[GatherReport], None]) -> int:
    """Gather until interrupted."""
    from ....desk import watch

    with until_interrupted() as cancel:
        for report in watch(desk, cancel=cancel):
            show(report)
            echo(faint("Watching the folders. End with Ctrl-C."), err=True)
    return INTERRUPTED


def _show_as_json(report: GatherReport) -> None:
    echo_json(as_plain(GatherOut.of(report)))


def show_report(report: GatherReport) -> None:
    """Print what a gather did."""
    report = displayed(report)
    name_width = max([6, *(len(name) for name in report.sources)])
    heads = "".join(f"{column:>10}" for column in _COLUMNS) + f"{'seconds':>9}"
    echo(faint(f"{'source':<{name_width}}{heads}"))
    for name, counts in report.sources.items():
        figures = "".join(f"{getattr(counts, column) or '·':>10}" for column in _COLUMNS)
        echo(f"{name:<{name_width}}{figures}{counts.seconds:>9.1f}")
    echo()
    _show_problems(report.problems)
    for notice in report.notices:
        echo(f"Note: {notice}")
    if report.skipped:
        kinds = ", ".join(f"{count} × {suffix}" for suffix, count in sorted(report.skipped.items()))
        echo(faint(f"Skipped, since no format reads them: {kinds}"))
    seconds = f"({report.seconds:.1f} s)"
    holds = f"{counted(report.documents, 'document')}, {counted(report.passages, 'passage')}"
    if report.dry_run:
        moved = counted(report.passages, "passage")
        echo(
            f"Nothing was written. A gather would add or take away {moved} and embed "
            f"{counted(report.tokens, 'token')}; its price: {report.price}. {seconds}"
        )
    elif not report.documents:
        echo(f"The index is empty: there is nothing to ask about. {seconds}")
    elif report.nothing_to_do:
        echo(f"Nothing to do: {holds}, all up to date. {seconds}")
    else:
        vectors = {"trained": "learned", "kept": "extended", "none": "none, too little text"}
        paid = f"; paid {report.price}" if report.price.amount else ""
        echo(f"The index holds {holds}; vectors: {vectors[report.embedding]}{paid}. {seconds}")


def _show_problems(problems: list[Problem]) -> None:
    """Print what went wrong; many items with one reason together."""
    alike: dict[tuple[str, str], list[str]] = {}
    for problem in problems:
        alike.setdefault((problem.reason, problem.remedy), []).append(problem.item)
    for (reason, remedy), items in alike.items():
        mark = style("! ", fg=RED, bold=True)
        if len(items) < _MOST_ALIKE:
            for item in items:
                echo(f"{mark}{item}: {reason}")
        else:
            echo(f"{mark}{counted(len(items), 'item')}: {reason}")
            echo(f"  {', '.join(items)}")
        if remedy:
            echo(f"  to do: {remedy}")
    if problems:
        echo()
