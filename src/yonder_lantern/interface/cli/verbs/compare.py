"""``yonder compare``."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from pathlib import Path

import click

from ....core import CallError
from ....evaluation import Comparison, grid_of, load_variants
from ..options import (
    desk_options,
    example,
    open_desk,
    questions_option,
    split_option,
    until_interrupted,
)
from ..progress import progress_shown
from ..showing_comparison import show_comparison
from ..terminal import echo, echo_json


@click.command(
    "compare",
    epilog=example(
        "yonder compare passages.tokens=120,180,300\n"
        "yonder compare find.fusion=scores,ranks find.lexical_weight=0.3,0.6 --by ndcg@10\n"
        "yonder compare --variants variants.toml --split test --max-seconds 600"
    ),
)
@click.argument("grid", nargs=-1, metavar="[KEY=VALUE,VALUE]...")
@click.option("--variants", metavar="FILE", help="A TOML file of [[variant]] tables or a [grid].")
@questions_option
@split_option
@click.option(
    "--by", default="right", show_default=True, metavar="MEASURE", help="The measure that decides."
)
@click.option("--halving", is_flag=True, help="Keep dropping the worse half of the settings.")
@click.option("--max-seconds", type=click.FloatRange(min=0, min_open=True), metavar="N",
              help="Stop after this many seconds.")  # fmt: skip
@click.option("--max-price", metavar="AMOUNT", help="Stop when models have cost this much.")
@click.option("--afresh", is_flag=True, help="Ignore cached results.")
@click.option("--csv", "csv_path", metavar="FILE", help="Write the table as CSV.")
@click.option("--figure", metavar="FILE", help="Draw quality against time (PNG, SVG or PDF).")
@click.option("--out", metavar="FILE", help="Write the proposed settings to this file.")
@desk_options
def command(
    grid: tuple[str, ...],
    variants: str | None,
    questions: str | None,
    split: str | None,
    by: str,
    halving: bool,
    max_seconds: float | None,
    max_price: str | None,
    afresh: bool,
    csv_path: str | None,
    figure: str | None,
    out: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Measure several settings over the same questions, beside the current settings.

    Nothing is changed. Settings that cut, embed or read documents differently get an index of
    their own beside the desk's. If interrupted, it resumes when it is run again.

    Exit status 1 when no setting is shown to be better.
    """
    if figure:
        from ....evaluation import require_figures

        require_figures(Path(figure))
    desk = open_desk(folder, overrides)
    wanted = load_variants(Path(variants)) if variants else []
    with progress_shown() as progress, until_interrupted("the question") as cancel:
        found = desk.compare(
            [*wanted, *(grid_of(grid) if grid else [])],
            questions,
            split=split or "",
            by=by,
            halving=halving,
            seconds=max_seconds,
            price=_price(max_price),
            afresh=afresh,
            processes=desk.settings.grade.processes,
            progress=progress,
            cancel=cancel,
        )
    if csv_path:
        found.frame().to_csv(csv_path, index=False, lineterminator="\r\n")
    if figure:
        from ....evaluation import draw_comparison

        draw_comparison(found, Path(figure))
    if out and found.best:
        Path(out).write_text(found.patch() + "\n", encoding="utf-8")
    if as_json:
        echo_json(found.as_dict())
    else:
        show_comparison(found)
        _tell(found, out, csv_path, figure)
    return 0 if found.best else 1


def _tell(found: Comparison, out: str | None, *others: str | None) -> None:
    for path in (*others, out if found.best else None):
        if path:
            echo(f"Written: {path}")


def _price(text: str | None) -> Decimal | None:
    try:
        return None if text is None else Decimal(text)
    except InvalidOperation:
        raise CallError(f"not an amount: {text!r}", "--max-price", "write 0.50") from None
