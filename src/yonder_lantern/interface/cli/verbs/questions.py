"""``yonder questions``."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click

from ....core import CallError
from ....desk import DeskQuestions, usual_judge
from ....evaluation import Question, Variant, grid_of
from ....evaluation.questions import (
    agreement,
    as_line,
    judgement_lines,
    topic_lines,
)
from ..options import desk_options, example, open_desk, questions_option
from ..progress import progress_shown
from ..showing import counted
from ..showing_questions import show_agreement, show_checked, show_draft, show_passage
from ..terminal import echo, echo_json, faint

_KEYS = {"0": 0, "n": 0, "1": 1, "p": 1, "2": 2, "y": 2}


@click.group(
    "questions",
    epilog=example(
        "yonder questions draft --count 40\n"
        "yonder questions review\n"
        "yonder questions check --mend\n"
        "yonder questions judge find.lexical_weight=0,1"
    ),
)
def command() -> None:
    """Draft, judge and check the question set that `grade` and `compare` use."""


def _set_options(function: Callable[..., Any]) -> Callable[..., Any]:
    return desk_options(questions_option(function))


def _opened(folder: str, overrides: tuple[str, ...], questions: str | None) -> DeskQuestions:
    return DeskQuestions(open_desk(folder, overrides), questions)


@command.command("check", epilog=example("yonder questions check\nyonder questions check --mend"))
@click.option("--mend", is_flag=True, help="Write the quotes as they were found again.")
@_set_options
def check_quotes(
    mend: bool,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Check every quote against the documents as they are now; find those that have moved.

    A quote found with other numbers is never mended: its answer has changed too. Exit status 1
    when a quote is lost or says something else now.
    """
    found = _opened(folder, overrides, questions).check(mend=mend)
    if as_json:
        echo_json(
            {
                "expectations": found.count,
                "changed_documents": found.changed,
                "quotes": [
                    {
                        "question": one.lost.question,
                        "line": one.lost.line,
                        "document": one.lost.expected.document,
                        "quote": one.lost.expected.quote,
                        "how": one.how,
                        "figures_differ": one.figures_differ,
                        "now": one.now and {"document": one.now.document, "quote": one.now.quote},
                    }
                    for one in found.found
                ],
            }
        )
    else:
        show_checked(found, mended=mend)
    return 1 if any(one.now is None or one.figures_differ for one in found.found) else 0


@command.command(
    "draft", epilog=example("yonder questions draft --count 40\nyonder questions draft --model")
)
@click.option("--count", type=click.IntRange(1, 5000), default=40, show_default=True)
@click.option("--seed", type=int, default=1, show_default=True, help="Seed of the draw.")
@click.option("--model", "by_model", is_flag=True, help="Let the configured model write them.")
@_set_options
def write_drafts(
    count: int,
    seed: int,
    by_model: bool,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Draft questions from the documents, for a person to review.

    Exit status 1 when nothing could be drafted.
    """
    own = _opened(folder, overrides, questions)
    with progress_shown() as progress:
        made = own.draft(count, seed=seed, by_model=by_model, progress=progress)
    return _drafted(own, made, as_json=as_json)


@command.command("asked", epilog=example("yonder questions asked --rated bad --count 20"))
@click.option("--rated", type=click.Choice(["good", "bad"]), help="Only answers rated so.")
@click.option("--count", type=click.IntRange(1, 5000), default=50, show_default=True)
@_set_options
def take_asked(
    rated: str | None,
    count: int,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Import questions that people asked (from traces) as drafts.

    Exit status 1 when there are none.
    """
    own = _opened(folder, overrides, questions)
    return _drafted(own, own.take_asked(only=rated or "", count=count), as_json=as_json)


def _drafted(own: DeskQuestions, made: list[Question], *, as_json: bool) -> int:
    if as_json:
        echo_json([one.id for one in made])
    else:
        for one in made[:6]:
            show_draft(one, short=True)
        if len(made) > 6:
            echo(faint(f"and {len(made) - 6} more"))
        echo(f"{counted(len(made), 'draft')} in {own.drafts_path}")
        if made:
            echo("Next: yonder questions review")
    return 0 if made else 1


@command.command(
    "review",
    epilog=example(
        "yonder questions review\n"
        "yonder questions review --accept draft-table-01 --drop draft-use-02"
    ),
)
@click.option("--list", "listed", is_flag=True, help="List the drafts.")
@click.option("--accept", "accepted", multiple=True, metavar="ID", help="Accept this draft.")
@click.option("--drop", "dropped", multiple=True, metavar="ID", help="Drop this draft.")
@_set_options
def review_drafts(
    listed: bool,
    accepted: tuple[str, ...],
    dropped: tuple[str, ...],
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Accept, change or drop the drafts, one by one; each decision is kept at once."""
    own = _opened(folder, overrides, questions)
    drafts = {one.id: one for one in own.drafts()}
    if listed or as_json:
        if as_json:
            echo_json([one.id for one in drafts.values()])
        else:
            for one in drafts.values():
                show_draft(one, short=True)
        return 0
    if accepted or dropped:
        for id_ in accepted:
            if id_ not in drafts:
                raise CallError(f"there is no draft {id_!r}", "--accept", "list them with --list")
            own.accept(drafts[id_])
        for id_ in dropped:
            own.drop(id_)
        echo(f"{counted(len(accepted), 'draft')} accepted, {len(dropped)} dropped")
        return 0
    return _review_each(own, list(drafts.values()))


def _review_each(own: DeskQuestions, drafts: list[Question]) -> int:
    if not drafts:
        echo("There are no drafts. Next: yonder questions draft")
        return 0
    taken = 0
    for number, one in enumerate(drafts, 1):
        echo()
        echo(faint(f"{number} of {len(drafts)}"))
        show_draft(one)
        key = _key("y accept · e change its words · n drop · s later · q quit: ", "yensq")
        if key == "q":
            break
        if key == "y":
            own.accept(one)
            taken += 1
        elif key == "e":
            own.accept(one, click.prompt("The question", default=one.question))
            taken += 1
        elif key == "n":
            own.drop(one.id)
    echo()
    echo(f"{counted(taken, 'question')} accepted into {own.path}; "
         f"{counted(len(own.drafts()), 'draft')} left.")  # fmt: skip
    return 0


@command.command(
    "judge",
    epilog=example(
        "yonder questions judge find.lexical_weight=0,1 --depth 5\n"
        "yonder questions judge --page\n"
        "yonder questions judge --apply"
    ),
)
@click.argument("grid", nargs=-1, metavar="[KEY=VALUE,VALUE]...")
@click.option("--judge", metavar="NAME", help="Who judges.  [default: who is logged in]")
@click.option("--depth", type=click.IntRange(1, 100), default=5, show_default=True,
              help="Passages of each setting.")  # fmt: skip
@click.option("--id", "ids", multiple=True, metavar="ID", help="Only this question.")
@click.option("--page", is_flag=True, help="Judge on a local page instead of here.")
@click.option("--port", type=click.IntRange(0, 65535), default=8820, show_default=True)
@click.option("--agreement", "agree", is_flag=True, help="Show how far the judges agree.")
@click.option("--apply", "applied", is_flag=True, help="Write the judgements into the set.")
@_set_options
def judge_passages(
    grid: tuple[str, ...],
    judge: str | None,
    depth: int,
    ids: tuple[str, ...],
    page: bool,
    port: int,
    agree: bool,
    applied: bool,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Judge what several settings find, unlabelled and shuffled; stop and resume at any time.

    The current settings always take part. Each judgement is kept at once.
    """
    own = _opened(folder, overrides, questions)
    if agree:
        found = agreement(own.judgements.all())
        if as_json:
            echo_json([asdict(one) for one in found])
        else:
            show_agreement(found)
        return 0 if found else 1
    if applied:
        changed = own.apply_judgements(own.judgements.all())
        if as_json:
            echo_json(changed)
        else:
            echo(f"{counted(len(changed), 'question')} changed in {own.path}")
        return 0
    variants: list[Variant] = grid_of(grid) if grid else []
    with progress_shown() as progress:
        pool = own.pool(variants, depth=depth, ids=ids, progress=progress)
    name = judge or usual_judge()
    if page:
        from ..run_judging_page import run_judging_page

        return run_judging_page(own, pool, name, port)
    done = 0
    for one in own.left(pool, name):
        show_passage(one)
        key = _key("2 the answer · 1 part of it · 0 no answer · s later · q quit: ", "210nypsq")
        if key == "q":
            break
        if key in _KEYS:
            own.judgements.add(one.passage, _KEYS[key], name)
            done += 1
    left = len(own.judgements.left(pool, name))
    echo()
    echo(f"{counted(done, 'passage')} judged by {name}, {left} left.")
    if not left:
        echo("Next: yonder questions judge --apply")
    return 0


def _key(prompt: str, allowed: str) -> str:
    """A key that is allowed: at once on a terminal, the first letter of a line in a pipe."""
    while True:
        echo(prompt, nl=False)
        if sys.stdin.isatty():
            key = click.getchar().casefold()
            echo(key)
        else:
            line = sys.stdin.readline()
            if not line:
                return "q"
            key = line.strip()[:1].casefold()
            echo()
        if key in allowed and key:
            return key


@command.command(
    "import",
    epilog=example(
        "yonder questions import topics.txt --judgements judged.txt\n"
        "yonder questions import faq.csv --columns id=number,question=text,document=file"
    ),
)
@click.argument("topics", type=click.Path(path_type=Path))
@click.option("--judgements", type=click.Path(path_type=Path), metavar="FILE",
              help="Four columns: topic 0 document grade.")  # fmt: skip
@click.option(
    "--columns", metavar="PART=NAME,…", help="Of CSV or JSON Lines: which column is which."
)
@_set_options
def bring_in(
    topics: Path,
    judgements: Path | None,
    columns: str | None,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Add questions and judgements that others wrote to the set."""
    own = _opened(folder, overrides, questions)
    added, unknown = own.bring_in(topics, judgements, _columns(columns) if columns else None)
    if as_json:
        echo_json({"added": [one.id for one in added], "unknown_documents": unknown})
        return 0
    echo(f"{counted(len(added), 'question')} added to {own.path}")
    if unknown:
        some = ", ".join(unknown[:5])
        echo(f"{counted(len(unknown), 'document')} of the judgements not in the index: {some}")
    return 0


def _columns(text: str) -> dict[str, str]:
    found = {}
    for part in text.split(","):
        name, equals, column = part.partition("=")
        if not equals:
            raise CallError(f"not a column: {part!r}", "--columns", "write question=text,id=number")
        found[name.strip()] = column.strip()
    return found


@command.command(
    "export", epilog=example("yonder questions export --topics topics.txt --judgements judged.txt")
)
@click.option("--topics", type=click.Path(path_type=Path), metavar="FILE")
@click.option("--judgements", type=click.Path(path_type=Path), metavar="FILE")
@_set_options
def carry_out(
    topics: Path | None,
    judgements: Path | None,
    questions: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Write the set as topics and relevance judgements of whole documents.

    Without a file, the questions are printed, one JSON object a line.
    """
    found = _opened(folder, overrides, questions).load().without_drafts().questions
    written = []
    if topics is not None:
        written.append((topics, topic_lines(found)))
    if judgements is not None:
        written.append((judgements, judgement_lines(found)))
    for path, lines in written:
        path.write_text("".join(f"{one}\n" for one in lines), encoding="utf-8")
        if not as_json:
            echo(f"Written: {path}")
    if not written:
        for one in found:
            echo(as_line(one))
    return 0
