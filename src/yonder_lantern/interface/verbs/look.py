"""``yonder look``."""

from __future__ import annotations

import json
import random
from dataclasses import asdict
from typing import Any

import click

from ...desk import Desk
from ...desk.looking import (
    PassageView,
    look_at_details,
    look_at_document,
    look_at_documents,
    look_at_duplicates,
    look_at_outline,
    look_at_random,
    look_at_sources,
)
from ...records import Document
from ..options import desk_options, example, open_desk
from ..showing import AMBER, SEA, counted, faint

_MOST_VALUES = 8


@click.command(
    "look",
    epilog=example(
        "yonder look\nyonder look --documents --source tariffs\nyonder look tariffs/tariff-2026.md"
    ),
)
@click.argument("document", required=False)
@click.option("--documents", is_flag=True, help="List the documents.")
@click.option("--source", metavar="NAME", default="", help="Only those of this source.")
@click.option("--outline", is_flag=True, help="With DOCUMENT: its headings, not its passages.")
@click.option("--random", "handful", type=int, metavar="N", help="Show N passages at random.")
@click.option("--seed", type=int, help="Draw the same ones again.")
@click.option("--details", is_flag=True, help="List the details and their values.")
@click.option("--duplicates", is_flag=True, help="List documents that are nearly the same.")
@click.option("--failures", is_flag=True, help="List what could not be read last time.")
@desk_options
def command(
    document: str | None,
    documents: bool,
    source: str,
    outline: bool,
    handful: int | None,
    seed: int | None,
    details: bool,
    duplicates: bool,
    failures: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """What is inside the index. Without anything named: the sources.

    With DOCUMENT, an id such as tariffs/tariff-2026.md: its text, cut as it was
    indexed. A passage's lead is shown over it; overlap is text shown twice.
    """
    desk = open_desk(folder, overrides)
    shown: Any
    if document:
        found, passages = look_at_document(desk, document)
        headings = look_at_outline(found)
        shown = {
            "id": found.id,
            "version": found.version,
            "title": found.title,
            "details": dict(found.details),
            "outline": [asdict(one) for one in headings],
            "passages": [asdict(one) for one in passages],
        }
        show = _show_outline if outline else _show_document
        return _out(shown, as_json, lambda: show(found, passages))
    if handful is not None:
        drawn = look_at_random(desk, max(0, handful), random.Random(seed))
        return _out([asdict(one) for one in drawn], as_json, lambda: _show_passages(drawn))
    if details:
        values = look_at_details(desk)
        return _out(values, as_json, lambda: _show_details(values))
    if duplicates:
        groups = look_at_duplicates(desk)
        return _out(groups, as_json, lambda: _show_duplicates(groups))
    if failures:
        problems = desk.snapshot().store.problems()
        shown = [
            {"item": f"{one.source}/{one.key}", "reason": one.problem, "remedy": one.remedy}
            for one in problems
        ]
        return _out(shown, as_json, lambda: _show_failures(shown))
    if documents or source:
        listed = look_at_documents(desk, source)
        return _out(
            [asdict(one) for one in listed],
            as_json,
            lambda: _show_table(
                ("document", "format", "passages", "tokens", "for", "valid"),
                [
                    (v.id, v.format, v.passages, v.tokens, ", ".join(v.audience), v.valid)
                    for v in listed
                ],
            ),
        )
    views = look_at_sources(desk)
    return _out([asdict(one) for one in views], as_json, lambda: _show_sources(desk, views))


def _out(shown: Any, as_json: bool, show: Any) -> int:
    if as_json:
        click.echo(json.dumps(shown, ensure_ascii=False))
    else:
        show()
    return 0


def _show_sources(desk: Desk, views: list[Any]) -> None:
    _show_table(
        ("source", "kind", "documents", "passages", "tokens", "for", "in", "newest", "read"),
        [
            (
                v.name,
                v.kind,
                v.documents,
                v.passages,
                v.tokens,
                ", ".join(v.audience),
                ", ".join(v.languages),
                v.newest[:10],
                v.checked,
            )
            for v in views
        ],
    )
    click.echo()
    for view in views:
        if view.problem:
            click.echo(f"{click.style('!', fg='red', bold=True)} {view.name}: {view.problem}")
    manifest = desk.snapshot().manifest
    problems = len(desk.snapshot().store.problems())
    click.echo(
        f"Generation {manifest.generation} in {counted(len(manifest.segments), 'segment')}"
        + (f"; {counted(problems, 'failure')} (--failures)" if problems else "")
    )


def _show_table(heads: tuple[str, ...], rows: list[tuple[Any, ...]]) -> None:
    cells = [tuple(f"{cell:,}" if isinstance(cell, int) else cell for cell in row) for row in rows]
    sizes = [max(map(len, column)) for column in zip(heads, *cells, strict=True)]
    numbers = [bool(rows) and isinstance(rows[0][at], int) for at in range(len(heads))]

    def line(row: tuple[str, ...]) -> str:
        parts = [
            cell.rjust(size) if number else cell.ljust(size)
            for cell, size, number in zip(row, sizes, numbers, strict=True)
        ]
        return "  ".join(parts).rstrip()

    click.echo(faint(line(heads)))
    for row in cells:
        click.echo(line(row))


def _show_document(document: Document, passages: list[PassageView]) -> None:
    about = f"version {document.version}, {counted(len(passages), 'passage')}"
    title = click.style(document.title, bold=True)
    click.echo(f"{title}  {click.style(document.id, fg=SEA)}  {faint(about)}")
    _show_passages(passages, named=False)


def _show_passages(passages: list[PassageView], *, named: bool = True) -> None:
    for number, one in enumerate(passages, 1):
        click.echo()
        place = ", ".join(part for part in (one.document if named else "", one.place) if part)
        click.echo(
            click.style(f"── {number} ", fg=AMBER, bold=True)
            + faint(f"{place} · {counted(one.tokens, 'token')} · {one.start}-{one.end}")
        )
        click.echo(faint("   lead: " + " / ".join(one.lead.splitlines())))
        for line in one.text.splitlines():
            click.echo(f"   {line}".rstrip())


def _show_outline(document: Document, _: list[PassageView]) -> None:
    click.echo(f"{click.style(document.title, bold=True)}  {click.style(document.id, fg=SEA)}")
    for one in look_at_outline(document):
        held = ", ".join(f"{count} × {kind}" for kind, count in one.blocks.items())
        at = f"  {one.place}" if one.place else ""
        click.echo(f"{'  ' * max(one.level - 1, 0)}{one.words}{faint(f'{at}  {held}')}")


def _show_details(values: dict[str, Any]) -> None:
    for key in sorted(values):
        common = values[key].most_common(_MOST_VALUES)
        shown = ", ".join(f"{value} ({count})" for value, count in common)
        more = len(values[key]) - len(common)
        click.echo(f"{click.style(key, bold=True)}: {shown}" + (f", {more} more" if more else ""))


def _show_duplicates(groups: list[list[str]]) -> None:
    for group in groups:
        click.echo(click.style(group[0], fg=SEA) + faint(" is nearly the same as"))
        for other in group[1:]:
            click.echo(f"  {other}")
    if not groups:
        click.echo("No two documents are nearly the same.")


def _show_failures(problems: list[dict[str, str]]) -> None:
    for one in problems:
        click.echo(f"{one['item']}: {one['reason']}")
        if one["remedy"]:
            click.echo(f"  to do: {one['remedy']}")
    if not problems:
        click.echo("Everything could be read.")
