"""``yonder grade``."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from ....desk import Desk, DeskQuestions
from ....evaluation import (
    RUN_MEASURES,
    Failure,
    Grades,
    Requirement,
    Verdict,
    check_requirement,
    ladder,
    markdown_summary,
    write_junit,
)
from ..options import (
    desk_options,
    example,
    open_desk,
    questions_option,
    split_option,
    until_interrupted,
)
from ..progress import progress_shown
from ..showing_grades import (
    show_change,
    show_failures,
    show_grades,
    show_ladder,
    show_live,
    show_results,
    show_verdicts,
)
from ..terminal import echo, echo_json


@click.command(
    "grade",
    epilog=example(
        "yonder grade\n"
        "yonder grade --split test --failures\n"
        'yonder grade --require "recall@5 >= 0.9" --junit grade.xml\n'
        'yonder grade --against last --require "right >= earlier - 0.02"\n'
        "yonder grade --report grade.html"
    ),
)
@questions_option
@split_option
@click.option("--failures", is_flag=True, help="Say at which step each missed question was lost.")
@click.option(
    "--against", metavar="RESULT", help="Compare with an earlier result: its id, or `last`."
)
@click.option(
    "--require",
    "requirements",
    multiple=True,
    metavar="BOUND",
    help='What must be reached, e.g. "recall@5 >= 0.9". May be repeated.',
)
@click.option(
    "--repeat",
    type=click.IntRange(1, 50),
    default=1,
    show_default=True,
    help="Ask each question this often, to see how a model's answers vary.",
)
@click.option("--report", metavar="FILE", help="Write a report as one HTML file.")
@click.option("--figures", metavar="FOLDER", help="Draw the report's figures, as PNG and SVG.")
@click.option("--figure", metavar="FILE", help="Draw one figure (PNG, SVG or PDF).")
@click.option("--csv", "csv_path", metavar="FILE", help="Write the grades by question as CSV.")
@click.option("--run", "run_path", metavar="FILE", help="Write the rankings as a six-column run.")
@click.option(
    "--read-run", metavar="FILE", help="Score another program's ranking file (six columns)."
)
@click.option("--junit", metavar="FILE", help="Write what was required as JUnit XML.")
@click.option("--markdown", metavar="FILE", help="Write a summary in Markdown.")
@click.option("--list", "list_results", is_flag=True, help="List the earlier results.")
@click.option("--live", is_flag=True, help="Show how real questions went, by day and topic.")
@desk_options
def command(
    questions: str | None,
    split: str | None,
    failures: bool,
    against: str | None,
    requirements: tuple[str, ...],
    repeat: int,
    report: str | None,
    figures: str | None,
    figure: str | None,
    csv_path: str | None,
    run_path: str | None,
    read_run: str | None,
    junit: str | None,
    markdown: str | None,
    list_results: bool,
    live: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Measure retrieval and answers on the question set, with intervals.

    Exit status 1 when something that is required is not met.
    """
    if figure or figures or report:
        from ....evaluation import require_figures

        require_figures(Path(figure or "grade.svg"))  # before minutes of work, not after
    desk = open_desk(folder, overrides)
    if list_results:
        return _list(desk, as_json=as_json)
    if live:
        return _live(desk, as_json=as_json)
    if read_run:
        return _read_run(DeskQuestions(desk, questions), Path(read_run), as_json=as_json)
    wanted = [Requirement.parse(one) for one in requirements]
    earlier = desk.grade_results.get(against) if against else None
    with progress_shown() as progress, until_interrupted("the question") as cancel:
        grades = desk.grade(
            questions,
            split=split or "",
            repeat=repeat,
            processes=desk.settings.grade.processes,
            progress=progress,
            cancel=cancel,
        )
        if earlier is not None:
            grades.refuse_other_questions(earlier)
        why = desk.failures(grades, questions, progress=progress) if failures or report else []
    verdicts = [check_requirement(one, grades, earlier) for one in wanted]
    written = _write(
        desk,
        grades,
        why,
        earlier,
        verdicts,
        {"csv": csv_path, "figure": figure, "run": run_path, "junit": junit,
         "markdown": markdown, "report": report, "figures": figures},
    )  # fmt: skip
    if as_json:
        echo_json(_as_json(grades, why, verdicts, earlier))
    else:
        show_grades(grades, split)
        if earlier is not None:
            show_change(earlier, grades)
        if failures:
            show_ladder(ladder(grades, why))
            show_failures(why)
        show_verdicts(verdicts)
        for path in written:
            echo(f"Written: {path}")
    return 0 if all(one.met for one in verdicts) else 1


def _write(
    desk: Desk,
    grades: Grades,
    why: list[Failure],
    earlier: Grades | None,
    verdicts: list[Verdict],
    paths: dict[str, str | None],
) -> list[str]:
    """Write what is asked for; the paths."""
    if path := paths["csv"]:
        grades.write_csv(Path(path))
    if path := paths["run"]:
        from ....evaluation.questions import run_lines

        rankings = {one.id: [hit.document for hit in one.hits] for one in grades.questions}
        lines = run_lines(rankings, "yonder")
        Path(path).write_text("".join(f"{one}\n" for one in lines), encoding="utf-8")
    if path := paths["junit"]:
        write_junit(Path(path), grades, verdicts)
    if path := paths["markdown"]:
        text = markdown_summary(grades, verdicts, earlier)
        Path(path).write_text(text, encoding="utf-8")
    if path := paths["figure"]:
        from ....evaluation import draw_grades

        draw_grades(grades, Path(path))
    if paths["report"] or paths["figures"]:
        from ....evaluation import report_of, write_figures, write_report

        told = report_of(desk.settings.desk.name, grades, why, earlier, desk.results_so_far(grades))
        if path := paths["report"]:
            write_report(told, Path(path))
        if path := paths["figures"]:
            write_figures(told, Path(path))
    return [path for path in paths.values() if path]


def _list(desk: Desk, *, as_json: bool) -> int:
    """The earlier results; 1 if there are none."""
    found = list(desk.grade_results.newest_first())
    if as_json:
        echo_json(
            [
                {"id": one.id, "at": one.at, "asked": one.asked, "summary": one.summary()}
                for one in found
            ]
        )
    else:
        show_results(found)
    return 0 if found else 1


def _read_run(own: DeskQuestions, path: Path, *, as_json: bool) -> int:
    """The measures of a ranking that another program made."""
    found = own.grade_run(path)
    intervals = {name: found.measure(name) for name in RUN_MEASURES}
    if as_json:
        echo_json({"missing": found.missing, **{k: asdict(one) for k, one in intervals.items()}})
        return 0
    echo(f"{len(found.rankings)} questions, by whole documents; {found.missing} not in the run")
    for name, interval in intervals.items():
        echo(f"{name:<22}{interval}")
    return 0


def _live(desk: Desk, *, as_json: bool) -> int:
    """How answers to real questions go; 1 if nothing was asked."""
    found = desk.live_quality()
    if as_json:
        echo_json(asdict(found))
    else:
        show_live(found)
    return 0 if found.days else 1


def _as_json(
    grades: Grades, why: list[Failure], verdicts: list[Verdict], earlier: Grades | None
) -> dict[str, object]:
    found = grades.as_dict()
    if why:
        found["failures"] = [asdict(one) for one in why]
    if verdicts:
        found["required"] = [
            {"bound": one.requirement.text, "met": one.met, "told": one.line} for one in verdicts
        ]
    if earlier is not None:
        found["against"] = earlier.id
        found["change"] = {
            name: asdict(grades.against(earlier, name))
            for name in ("recall@5", "ndcg@10", "right", "answered wrongly")
        }
    return found
