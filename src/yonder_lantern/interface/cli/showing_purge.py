"""What a purge did, on the terminal."""

from __future__ import annotations

from ...desk import PurgeReport
from .showing import counted
from .terminal import displayed, echo, echo_json


def show_purge(report: PurgeReport, *, as_json: bool = False) -> None:
    """Print what a purge did."""
    if as_json:
        echo_json(
            {"documents": report.documents, "person": report.person, "changed": report.changed}
        )
        return
    report = displayed(report)
    for id_ in report.documents:
        echo(f"Purged: {id_}")
    if report.person and any(report.changed.values()):
        echo(f"Purged: everything of {report.person}")
    elif report.person:
        echo(f"Nothing of {report.person} is kept: is the name as yonder serve --tokens has it?")
    if not report.documents and not report.person:
        echo("No document has left its source: nothing was purged.")
    changed = {name: count for name, count in report.changed.items() if count}
    for name, count in changed.items():
        echo(f"  {name}: {counted(count, 'record')} removed or redacted")
    if report.documents or changed:
        echo("Backups made earlier still hold it.")
