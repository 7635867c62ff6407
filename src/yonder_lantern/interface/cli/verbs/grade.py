"""``yonder grade``."""

from __future__ import annotations

from pathlib import Path

import click

from ....evaluation import ANSWERS, RETRIEVAL, Grades
from ..options import desk_options, example, open_desk
from ..progress import progress_shown
from ..showing import counted
from ..terminal import echo, echo_json, faint


@click.command(
    "grade", epilog=example("yonder grade\nyonder grade --csv grades.csv --figure grades.png")
)
@click.option("--questions", metavar="FILE", help="A question set.  [default: grade.questions]")
@click.option(
    "--split", type=click.Choice(["fit", "test"]), help="Ask only the questions of this split."
)
@click.option("--csv", "csv_path", metavar="FILE", help="Write the grades by question as CSV.")
@click.option("--figure", metavar="FILE", help="Draw the figure (PNG, SVG or PDF).")
@desk_options
def command(
    questions: str | None,
    split: str | None,
    csv_path: str | None,
    figure: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Measure retrieval and answers on the question set, with intervals."""
    if figure:
        from ....evaluation import require_figures

        require_figures(Path(figure))  # before minutes of work, not after
    desk = open_desk(folder, overrides)
    with progress_shown() as progress:
        grades = desk.grade(questions, split=split or "", progress=progress)
    if csv_path:
        grades.write_csv(Path(csv_path))
    if figure:
        from ....evaluation import draw_grades

        draw_grades(grades, Path(figure))
    if as_json:
        echo_json(grades.as_dict())
        return 0
    show_grades(grades, split)
    for path in (csv_path, figure):
        if path:
            echo(f"Written: {path}")
    return 0


def show_grades(grades: Grades, split: str | None = None) -> None:
    """Print the tables: by split with intervals, and by kind."""
    splits = [split] if split else [s for s in ("fit", "test") if _any_in(grades, s)]
    answerable = sum(one.answerable for one in grades.questions)
    echo(
        f"{len(grades.questions)} questions, {answerable} of them answerable; as of "
        f"{grades.as_of[:10]}; means with 95 % intervals"
    )
    echo()
    echo(faint((f"{'':<22}" + "".join(f"{name:<24}" for name in splits)).rstrip()))
    for name in (*RETRIEVAL, *ANSWERS):
        if name == ANSWERS[0]:
            echo()
        cells = "".join(f"{grades.measure(name, split=split_name)!s:<24}" for split_name in splits)
        echo(f"{name:<22}{cells}".rstrip())
    echo()
    columns = {name: name for name in ("recall@5", "mrr", "ndcg@10", "right")}
    columns |= {
        "answered wrongly": "wrong",
        "excerpt holds it": "excerpt",
        "declined wrongly": "declined",
        "declined rightly": "declined rightly",
    }
    only = {"split": split} if split else {}
    sizes = {name: len(head) + 2 for name, head in columns.items()}
    heads = "".join(f"{head:>{sizes[name]}}" for name, head in columns.items())
    echo(faint(f"{'kind':<14}{'asked':>6}{heads}"))
    for kind in dict.fromkeys(one.kind for one in grades.questions):
        asked = sum(
            one.kind == kind and (split is None or one.split == split) for one in grades.questions
        )
        cells = ""
        for column, size in sizes.items():
            interval = grades.measure(column, kind=kind, **only)
            cells += f"{interval.mean:>{size}.2f}" if interval.count else f"{'·':>{size}}"
        echo(f"{kind:<14}{asked:>6}{cells}")
    show_left_out(grades.left_out)


def show_left_out(count: int) -> None:
    """Say how many questions were left out."""
    if count:
        echo(
            f"\nLeft out: {counted(count, 'question')} about documents that could not be read here "
            "(yonder look --failures)."
        )


def _any_in(grades: Grades, split: str) -> bool:
    return any(one.split == split for one in grades.questions)
