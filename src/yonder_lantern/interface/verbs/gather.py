"""``yonder gather``."""

from __future__ import annotations

import json
from dataclasses import asdict

import click

from ...records import GatherReport
from ..options import desk_options, example, open_desk
from ..showing import counted, faint, progress_shown

_COLUMNS = ("added", "changed", "unchanged", "removed", "failed", "skipped")


@click.command("gather", epilog=example("yonder gather\nyonder gather --dry-run"))
@click.option("--dry-run", is_flag=True, help="Say what would change; write nothing.")
@click.option("--rebuild", is_flag=True, help="Read everything anew, into a new index.")
@click.option("--allow-empty", is_flag=True, help="Let an emptied source lose its documents.")
@click.option("--strict", is_flag=True, help="Exit with status 1 when an item failed.")
@desk_options
def command(
    dry_run: bool,
    rebuild: bool,
    allow_empty: bool,
    strict: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Bring the index up to date with the sources.

    What has not changed is not read again. Questions are answered from the
    earlier index until the new one is complete.
    """
    desk = open_desk(folder, overrides)
    with progress_shown() as progress:
        report = desk.gather(
            dry_run=dry_run, rebuild=rebuild, allow_empty=allow_empty, progress=progress
        )
    if as_json:
        click.echo(json.dumps(asdict(report), ensure_ascii=False))
    else:
        show_report(report)
    return 1 if strict and report.failed else 0


def show_report(report: GatherReport) -> None:
    """Print what a gather did."""
    name_width = max([6, *(len(name) for name in report.sources)])
    click.echo(faint(f"{'source':<{name_width}}" + "".join(f"{c:>11}" for c in _COLUMNS)))
    for name, counts in report.sources.items():
        figures = "".join(f"{getattr(counts, column) or '·':>11}" for column in _COLUMNS)
        click.echo(f"{name:<{name_width}}{figures}")
    click.echo()
    for problem in report.problems:
        click.echo(click.style("! ", fg="red", bold=True) + f"{problem.item}: {problem.reason}")
        if problem.remedy:
            click.echo(f"  to do: {problem.remedy}")
    if report.problems:
        click.echo()
    if report.skipped:
        kinds = ", ".join(f"{count} × {suffix}" for suffix, count in sorted(report.skipped.items()))
        click.echo(faint(f"Skipped, since no format reads them: {kinds}"))
    seconds = f"({report.seconds:.1f} s)"
    holds = f"{counted(report.documents, 'document')}, {counted(report.passages, 'passage')}"
    if report.dry_run:
        moved = counted(report.passages, "passage")
        click.echo(f"Nothing was written. A gather would add or take away {moved}. {seconds}")
    elif not report.documents:
        click.echo(f"The index is empty. {seconds}")
    elif report.nothing_to_do:
        click.echo(f"Nothing to do: {holds}, all up to date. {seconds}")
    else:
        vectors = {"trained": "learned anew", "kept": "extended", "none": "none, too little text"}
        click.echo(f"The index holds {holds}; vectors: {vectors[report.embedding]}. {seconds}")
