"""``yonder look``."""

from __future__ import annotations

import random
import textwrap
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import click

from ....core import CallError, Document, EntityCard
from ....core.outgoing import EntityCardOut, as_plain
from ....desk import (
    Desk,
    PassageView,
    SizesView,
    TopicView,
    check_sources,
    look_at_about,
    look_at_document,
    look_at_documents,
    look_at_duplicates,
    look_at_failures,
    look_at_map,
    look_at_metadata,
    look_at_outline,
    look_at_random,
    look_at_sizes,
    look_at_sources,
    look_at_topics,
)
from ....text import one_line
from ..options import caller_options, desk_options, example, open_desk
from ..progress import progress_shown
from ..showing import counted, width
from ..showing_entities import show_card, show_entities, show_groups, show_paths
from ..terminal import AMBER, RED, SEA, displayed, echo, echo_json, faint, style

_MOST_VALUES = 8
_BAR = 40  # characters of the longest bar


@click.command(
    "look",
    epilog=example(
        "yonder look\nyonder look --documents --source tariffs\n"
        "yonder look tariffs/tariff-2026.md\n"
        'yonder look --map map.png --question "slipway closed"\n'
        'yonder look --entity "boat lift"\n'
        'yonder look --entity BL-60 --to "Fish Quay"'
    ),
)
@click.argument("document", required=False)
@click.option("--documents", is_flag=True, help="List the documents.")
@click.option("--source", metavar="NAME", default="", help="Only those of this source.")
@click.option("--outline", is_flag=True, help="With DOCUMENT: show its headings, not its passages.")
@click.option("--random", "handful", type=int, metavar="N", help="Show N passages at random.")
@click.option("--seed", type=int, help="Seed of --random, to draw the same passages again.")
@click.option("--metadata", is_flag=True, help="List the metadata fields and their values.")
@click.option("--sizes", is_flag=True, help="Show the lengths of passages by source.")
@click.option("--topics", is_flag=True, help="List topics.")
@click.option("--map", "map_path", metavar="FILE", help="Draw the passages by meaning (PNG, SVG).")
@click.option(
    "--question", metavar="TEXT", default="", help="With --map: mark the hits of this question."
)
@click.option("--duplicates", is_flag=True, help="List documents that are nearly the same.")
@click.option("--failures", is_flag=True, help="List what could not be read last time.")
@click.option(
    "--entity", metavar="NAME", help="Show every statement about it, with source and dates."
)
@click.option("--to", "other", metavar="NAME", help="With --entity: show how it is connected.")
@click.option("--draw", metavar="FILE", help="With --entity: draw its connections (PNG, SVG).")
@click.option("--groups", is_flag=True, help="List groups of closely connected things.")
@click.option("--entities", is_flag=True, help="List the things that most is said about.")
@click.option("--kind", metavar="KIND", default="", help="With --entities: list only this kind.")
@click.option("--by-model", is_flag=True, help="Let the model read statements, too; a call a page.")
@click.option("--export", metavar="FILE",
              help="Write every statement (.graphml, .jsonld, .csv).")  # fmt: skip
@caller_options
@desk_options
def command(
    document: str | None,
    documents: bool,
    source: str,
    outline: bool,
    handful: int | None,
    seed: int | None,
    metadata: bool,
    sizes: bool,
    topics: bool,
    map_path: str | None,
    question: str,
    duplicates: bool,
    failures: bool,
    entity: str | None,
    other: str | None,
    draw: str | None,
    groups: bool,
    entities: bool,
    kind: str,
    by_model: bool,
    export: str | None,
    audience: tuple[str, ...],
    as_of: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """What is inside the index. Without anything named: the sources.

    With DOCUMENT, an id such as tariffs/tariff-2026.md: its text, cut as it was
    indexed. A passage's context header is shown over it; overlap is text shown twice.
    """
    desk = open_desk(folder, overrides)
    desk.check_audience(audience)
    desk = desk.as_caller(audience or None, as_of)
    shown: Any
    if document:
        found, passages = look_at_document(desk, document)
        headings = look_at_outline(found)
        topic, terms = look_at_about(desk, found)
        shown = {
            "id": found.id,
            "version": found.version,
            "title": found.title,
            "metadata": dict(found.metadata),
            "topic": topic,
            "key_terms": terms,
            "outline": [asdict(one) for one in headings],
            "passages": [asdict(one) for one in passages],
        }
        if outline:
            return _out(shown, as_json, lambda: _show_outline(found))
        return _out(shown, as_json, lambda: _show_document(found, passages, topic, terms))
    if (other or draw) and not entity:
        raise CallError("--to and --draw go with --entity", "--entity", "name one: --entity NAME")
    if other and draw:
        raise CallError("--draw draws one entity, not the way to another", "--draw",
                        "leave out --to or --draw")  # fmt: skip
    if kind and not entities:
        raise CallError("--kind goes with --entities", "--kind", "add --entities")
    if entity or entities or export or groups or by_model:
        said = _Wanted(entity, other, draw, groups, export, kind, entities, by_model)
        return _knowledge(desk, said, as_json)
    if handful is not None:
        drawn = look_at_random(desk, max(0, handful), random.Random(seed))
        return _out([asdict(one) for one in drawn], as_json, lambda: _show_passages(drawn))
    if map_path:
        return _draw(desk, map_path, question, as_json)
    wanted = {
        _sizes: sizes,
        _topics: topics,
        _metadata: metadata,
        _duplicates: duplicates,
        _failures: failures,
    }
    look = next((view for view, asked in wanted.items() if asked), None)
    if look is not None:
        return look(desk, as_json)
    if source:
        check_sources(desk, [source])
    if documents or source:
        return _documents(desk, source, as_json)
    views = look_at_sources(desk)
    return _out([asdict(one) for one in views], as_json, lambda: _show_sources(desk, views))


@dataclass(frozen=True, slots=True)
class _Wanted:
    """What of the statements is to be shown."""

    entity: str | None
    other: str | None
    draw: str | None
    groups: bool
    export: str | None
    kind: str
    listed: bool
    by_model: bool


def _knowledge(desk: Desk, wanted: _Wanted, as_json: bool) -> int:
    """What is said of an entity, or of which; 1 if nothing is said of anything."""
    if wanted.by_model:
        with progress_shown() as progress:
            count, kept = desk.read_by_model(progress)
        told = f"{counted(count, 'document')}, {counted(kept, 'statement')} kept"
        if not (wanted.entity or wanted.listed or wanted.export or wanted.groups):
            read = {"documents": count, "statements": kept}
            return _out(read, as_json, lambda: echo(f"Read by the model: {told}"))
    with desk.knowledge() as known:
        with progress_shown() as progress:
            known.update(progress)
        if wanted.export:
            count = known.export(Path(wanted.export))
            told = f"Written: {wanted.export}, {counted(count, 'statement')}"
            written = {"file": wanted.export, "statements": count}
            return _out(written, as_json, lambda: echo(told))
        if wanted.groups:
            groups = known.groups()
            _out(groups, as_json, lambda: show_groups(groups))
            return 0 if groups else 1
        if wanted.entity and wanted.other:
            paths = known.paths(wanted.entity, wanted.other)
            _out([asdict(path) for path in paths], as_json, lambda: show_paths(paths))
            return 0 if paths else 1
        if wanted.entity:
            card = known.card(wanted.entity)
            if wanted.draw:
                return _draw_entity(card, wanted.draw, as_json)
            return _out(as_plain(EntityCardOut.of(card)), as_json, lambda: show_card(card))
        found = known.entities(wanted.kind)
    listed = [{"name": name, "statements": count} for name, count in found]
    _out(listed, as_json, lambda: show_entities(found))
    return 0 if found else 1


def _draw_entity(card: EntityCard, path: str, as_json: bool) -> int:
    from ....evaluation import draw_entity

    left = draw_entity(card, Path(path))
    return _out({"file": path, "left_out": left}, as_json, lambda: echo(f"Written: {path}"))


def _sizes(desk: Desk, as_json: bool) -> int:
    bars = look_at_sizes(desk)
    return _out([asdict(one) for one in bars], as_json, lambda: _show_sizes(bars))


def _topics(desk: Desk, as_json: bool) -> int:
    named = look_at_topics(desk)
    return _out([asdict(one) for one in named], as_json, lambda: _show_topics(named))


def _metadata(desk: Desk, as_json: bool) -> int:
    values = look_at_metadata(desk)
    return _out(values, as_json, lambda: _show_metadata(values))


def _duplicates(desk: Desk, as_json: bool) -> int:
    groups = look_at_duplicates(desk)
    return _out(groups, as_json, lambda: _show_duplicates(groups))


def _failures(desk: Desk, as_json: bool) -> int:
    if not desk.caller.is_owner:
        raise CallError("only the owner can list unreadable documents", "--failures", "leave it")
    problems = look_at_failures(desk)
    shown = [
        {"item": f"{one.source}/{one.key}", "reason": one.problem, "remedy": one.remedy}
        for one in problems
    ]
    return _out(shown, as_json, lambda: _show_failures(shown))


def _documents(desk: Desk, source: str, as_json: bool) -> int:
    listed = look_at_documents(desk, source)
    heads = ("document", "format", "passages", "tokens", "for", "valid")
    rows = [(v.id, v.format, v.passages, v.tokens, ", ".join(v.audience), v.valid) for v in listed]
    return _out([asdict(v) for v in listed], as_json, lambda: _show_table(heads, rows))


def _out(shown: Any, as_json: bool, show: Any) -> int:
    if as_json:
        echo_json(shown)
    else:
        show()
    return 0


def _show_sources(desk: Desk, views: list[Any]) -> None:
    views = displayed(views)
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
    if not desk.caller.is_owner:
        return
    echo()
    for view in views:
        if view.problem:
            echo(f"{style('!', fg=RED, bold=True)} {view.name}: {view.problem}")
    snapshot = desk.snapshot()
    problems = len(snapshot.problems())
    echo(
        f"Generation {snapshot.generation} in {counted(snapshot.segment_count, 'segment')}"
        + (f"; {counted(problems, 'failure')} (--failures)" if problems else "")
    )
    if snapshot.reading is not None:
        read, whole = snapshot.reading.counts()
        echo(f"The reading model has read {read:,} of {counted(whole, 'passage')}.")


def _show_table(heads: tuple[str, ...], rows: list[tuple[Any, ...]]) -> None:
    rows = displayed(rows)
    cells = [tuple(f"{cell:,}" if isinstance(cell, int) else cell for cell in row) for row in rows]
    sizes = [max(map(len, column)) for column in zip(heads, *cells, strict=True)]
    numbers = [bool(rows) and isinstance(rows[0][at], int) for at in range(len(heads))]

    def line(row: tuple[str, ...]) -> str:
        parts = [
            cell.rjust(size) if number else cell.ljust(size)
            for cell, size, number in zip(row, sizes, numbers, strict=True)
        ]
        return "  ".join(parts).rstrip()

    echo(faint(line(heads)))
    for row in cells:
        echo(line(row))


def _show_document(
    document: Document, passages: list[PassageView], topic: str, terms: list[str]
) -> None:
    document = displayed(document)
    topic, terms = one_line(topic), displayed(terms)
    about = f"version {document.version}, {counted(len(passages), 'passage')}"
    title = style(document.title, bold=True)
    echo(f"{title}  {style(document.id, fg=SEA)}  {faint(about)}")
    if topic:
        echo(faint(f"topic: {topic}"))
    if terms:
        echo(faint(f"key terms: {', '.join(terms)}"))
    _show_passages(passages, named=False)


def _show_passages(passages: list[PassageView], *, named: bool = True) -> None:
    for number, one in enumerate(displayed(passages), 1):
        echo()
        location = ", ".join(part for part in (one.document if named else "", one.location) if part)
        echo(
            style(f"── {number} ", fg=AMBER, bold=True)
            + faint(f"{location} · {counted(one.tokens, 'token')} · {one.start}-{one.end}")
            + (faint(" · divided inside a line or sentence") if one.divided else "")
        )
        echo(faint("   context header: " + " / ".join(one.context_header.splitlines())))
        for line in one.text.splitlines():
            echo(f"   {line}".rstrip())


def _draw(
    desk: Desk,
    path: str,
    question: str,
    as_json: bool,
) -> int:
    from ....evaluation import require_figures

    require_figures(Path(path))
    from ....evaluation import draw_map

    drawn = look_at_map(desk, question)
    draw_map(drawn, Path(path))
    shown = {"file": path, "passages": len(drawn.points), "left_out": drawn.left_out}
    return _out(shown, as_json, lambda: echo(f"Written: {path}"))


def _show_sizes(views: list[SizesView]) -> None:
    for one in views:
        total = sum(one.counts)
        told = f"{counted(total, 'passage')}; {one.least} to {one.most} tokens, median {one.median}"
        if one.divided:
            told += f"; {one.divided} divided inside a line, row or sentence"
        echo(f"{style(one.source, bold=True)}  {faint(told)}")
        most = max(one.counts)
        last = max(at for at, count in enumerate(one.counts) if count)
        for at, count in enumerate(one.counts[: last + 1]):
            low = at * one.step
            more = at == len(one.counts) - 1
            size = f"{low} and more" if more else f"{low}-{low + one.step - 1}"
            bar = style("█" * round(_BAR * count / most), fg=SEA)
            echo(f"  {size:>12}  {count:>6,}  {bar}".rstrip())
        echo()


def _show_topics(views: list[TopicView]) -> None:
    for one in displayed(views):
        held = f"{counted(one.documents, 'document')}: {', '.join(one.examples)}"
        more = " …" if one.documents > len(one.examples) else ""
        echo(style(one.name, bold=True))
        echo(faint(textwrap.indent(textwrap.fill(held + more, width() - 2), "  ")))
    if not views:
        echo("There are too few documents to group them.")


def _show_outline(document: Document) -> None:
    echo(f"{style(one_line(document.title), bold=True)}  {style(one_line(document.id), fg=SEA)}")
    for one in displayed(look_at_outline(document)):
        held = ", ".join(f"{count} × {kind}" for kind, count in one.blocks.items())
        at = f"  {one.location}" if one.location else ""
        echo(f"{'  ' * max(one.level - 1, 0)}{one.words}{faint(f'{at}  {held}')}")


def _show_metadata(values: dict[str, Any]) -> None:
    for key in sorted(values):
        common = values[key].most_common(_MOST_VALUES)
        shown = ", ".join(f"{one_line(value)} ({count})" for value, count in common)
        more = len(values[key]) - len(common)
        echo(f"{style(one_line(key), bold=True)}: {shown}" + (f", {more} more" if more else ""))


def _show_duplicates(groups: list[list[str]]) -> None:
    for group in displayed(groups):
        echo(style(group[0], fg=SEA) + faint(" is nearly the same as"))
        for other in group[1:]:
            echo(f"  {other}")
    if not groups:
        echo("No two documents are nearly the same.")


def _show_failures(problems: list[dict[str, str]]) -> None:
    for one in displayed(problems):
        echo(f"{one['item']}: {one['reason']}")
        if one["remedy"]:
            echo(f"  to do: {one['remedy']}")
    if not problems:
        echo("Everything could be read.")
