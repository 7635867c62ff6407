"""``yonder ask``."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from ...desk import Desk
from ...desk.desk import ShownPrompt
from ...records import Answer, CallError, Finished, Piece, Withdrawn
from ..options import caller_options, desk_options, example, open_desk, picture_option
from ..showing import (
    answer_as_json,
    answer_text,
    counted,
    declined_text,
    faint,
    show_answer,
    show_citations,
    withdrawn,
)
from ..showing_fields import filled_as_json, show_filled


@click.command(
    "ask",
    epilog=example('yonder ask "How do I report a near miss?" --audience public'),
)
@click.argument("question")
@click.option("--limit", type=int, metavar="N", help="Show at most this many citations.")
@click.option(
    "--passages", type=int, metavar="N", help="How many passages to read.  [default: find.limit]"
)
@click.option(
    "--schema",
    type=click.Path(path_type=Path),
    help="A JSON Schema: answer with an object of it, each field with its citations.",
)
@click.option("--show-prompt", is_flag=True, help="Print what a model would be sent; send nothing.")
@click.option(
    "--without-documents",
    is_flag=True,
    help="Also show what the model says from memory, for comparison.",
)
@picture_option
@click.option("--speak", metavar="FILE", help="Also speak the answer into this file (.wav).")
@caller_options
@desk_options
def command(
    question: str,
    limit: int | None,
    passages: int | None,
    schema: Path | None,
    show_prompt: bool,
    without_documents: bool,
    picture: str | None,
    speak: str | None,
    audience: tuple[str, ...],
    as_of: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """One grounded, cited answer to QUESTION.

    Exit status 1 when it is declined, or asked back because it fits several things.
    """
    if limit is not None and limit < 0:
        raise CallError("--limit cannot be negative", f"--limit {limit}", "0 shows no citation")
    desk = open_desk(folder, overrides)
    labels = audience or None
    if schema is not None:
        filled = desk.fill(
            question, read_schema(schema), limit=passages, audience=labels, as_of=as_of
        )
        if as_json:
            click.echo(json.dumps(filled_as_json(filled), ensure_ascii=False))
        else:
            show_filled(filled, limit)
        return 0 if filled.citations else 1
    if show_prompt:
        prompt = desk.prompt(question, limit=passages, audience=labels, as_of=as_of)
        _show_prompt(prompt, as_json=as_json)
        return 0
    bare = None
    if without_documents:
        bare = desk.ask(question, limit=passages, audience=labels, as_of=as_of, documents=False)
    streams = bool(desk.settings.answer.model) and sys.stdout.isatty() and not as_json
    if bare is not None and not as_json:
        click.echo(f"{click.style('From memory', bold=True)} {faint('(nothing of it is checked)')}")
        click.echo(f"{bare.text}\n\n{click.style('From the documents', bold=True)}")
    if streams:
        answer = _streamed(desk, question, passages, labels, as_of, picture)
        show_citations(answer, limit)
    else:
        answer = desk.ask(question, limit=passages, audience=labels, as_of=as_of, picture=picture)
        if as_json:
            shown = answer_as_json(answer)
            if bare is not None:
                shown["without_documents"] = answer_as_json(bare)
            click.echo(json.dumps(shown, ensure_ascii=False))
        else:
            show_answer(answer, limit)
    if speak:
        _speak(answer, Path(speak))
        if not as_json:
            click.echo(f"Written: {speak}")
    return 1 if answer.declined or answer.choices else 0


def _show_prompt(prompt: ShownPrompt, *, as_json: bool) -> None:
    """Print what a model would be sent."""
    if as_json:
        shown = {"instructions": prompt.instructions, "question": prompt.question,
                 "tokens": prompt.tokens, "passages": prompt.passages,
                 "left_out": prompt.left_out}  # fmt: skip
        click.echo(json.dumps(shown, ensure_ascii=False))
        return
    left = f", {prompt.left_out} left out for want of room" if prompt.left_out else ""
    told = (
        f"about {prompt.tokens:,} tokens · {counted(prompt.passages, 'passage')}{left} · "
        f"costs at most {prompt.most}"
    )
    click.echo(f"{prompt.instructions}\n\n{prompt.question}\n\n{faint(told)}")


def _speak(answer: Answer, path: Path) -> None:
    from ...outside.speaking import speak

    speak(answer.text, path, next((one.language for one in answer.statements), "en"))


def read_schema(path: Path) -> Any:
    """The JSON Schema in a file."""
    try:
        return json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise CallError(
            f"it cannot be read: {error.strerror}", str(path), "name the file of a JSON Schema"
        ) from None
    except UnicodeDecodeError:
        raise CallError("it is not UTF-8 text", str(path), "save it as UTF-8") from None
    except json.JSONDecodeError as error:
        where = f"{path}, line {error.lineno}, column {error.colno}"
        raise CallError(f"it is not JSON: {error.msg}", where, "mend it there") from None


def _streamed(
    desk: Desk,
    question: str,
    passages: int | None,
    audience: tuple[str, ...] | None,
    as_of: str | None,
    picture: str | None,
) -> Answer:
    """Show an answer as it is written; what is withdrawn is said so."""
    at_start = True  # of a line
    for event in desk.stream(
        question, limit=passages, audience=audience, as_of=as_of, picture=picture
    ):
        if isinstance(event, Piece):
            click.echo(faint(event.text), nl=False)
            sys.stdout.flush()
            at_start = False
        elif isinstance(event, Withdrawn):
            click.echo(("" if at_start else "\n") + withdrawn(event.words, event.why))
            at_start = True
        elif isinstance(event, Finished):
            click.echo("" if at_start else "\n")
            answer = event.answer
            show = declined_text if answer.declined else answer_text
            click.echo(show(answer.text))
            return answer
    raise AssertionError("a stream ends with the whole answer")
