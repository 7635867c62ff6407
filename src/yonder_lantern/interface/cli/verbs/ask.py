"""``yonder ask``."""

from __future__ import annotations

import json
import sys
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import click

from ....core import Answer, CallError, Query, QueryParts
from ....core.outgoing import AnswerOut, ArticleOut, ExtractionOut, MoneyOut, PromptOut, as_plain
from ....desk import Desk, PreparedPrompt
from ....settings import model_profile, without_password
from ..options import desk_options, example, open_desk, query_options
from ..progress import progress_shown
from ..showing import (
    Shown,
    counted,
    show_answer,
    show_citations,
)
from ..showing_article import show_article
from ..showing_fields import show_extracted
from ..showing_steps import show_steps, take_steps
from ..streaming import show_stream
from ..terminal import busy, displayed, echo, echo_json, faint, style


@click.command(
    "ask",
    epilog=example('yonder ask "How do I report a near miss?" --audience public'),
)
@click.argument("question")
@click.option(
    "--limit",
    type=int,
    metavar="N",
    help="Read at most this many passages.  [default: find.limit]",
)
@click.option("--citations", type=int, metavar="N", help="Show at most this many citations.")
@click.option(
    "--whole", is_flag=True, help="Of passages shown in place of an answer, show all, whole."
)
@click.option("--support", is_flag=True, help="Say how sure the answer is as a number, too.")
@click.option(
    "--schema",
    type=click.Path(path_type=Path),
    help="A JSON Schema: answer with a matching object, each field with its citations.",
)
@click.option("--show-prompt", is_flag=True, help="Print what a model would be sent; send nothing.")
@click.option(
    "--without-documents",
    is_flag=True,
    help="Also show what the model says from memory, for comparison.",
)
@click.option(
    "--steps",
    is_flag=True,
    help="Show the steps of a question that needs several searches, as they are taken.",
)
@click.option(
    "--long", is_flag=True, help="Write a longer piece about a topic: sections, all of it cited."
)
@click.option(
    "--sections",
    type=int,
    metavar="N",
    help="With --long: at most this many sections.  [default: 5]",
)
@click.option(
    "--voices",
    metavar="NAMES",
    default="",
    help="With --long: make it a script for these voices, e.g. Ann,Ben.",
)
@click.option("--audio", metavar="FILE", help="Also speak the answer into this file (.wav).")
@query_options
@desk_options
def command(
    question: str,
    limit: int | None,
    citations: int | None,
    whole: bool,
    support: bool,
    schema: Path | None,
    show_prompt: bool,
    without_documents: bool,
    steps: bool,
    long: bool,
    sections: int | None,
    voices: str,
    audio: str | None,
    parts: QueryParts,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """One grounded, cited answer to QUESTION.

    Where no answer is sure enough, the passages that come closest are shown as they are. Exit
    status 1 if the question is declined, or if you must choose between several matches.
    """
    if citations is not None and citations < 0:
        raise CallError(
            "--citations cannot be negative", f"--citations {citations}", "0 shows no citation"
        )
    desk = open_desk(folder, overrides)
    desk.check_audience(parts.get("audience") or ())
    query = Query(question, limit=limit).with_parts(parts)
    if long and (schema or show_prompt or without_documents or steps or audio):
        raise CallError(
            "--long cannot be combined with --schema, --show-prompt, --steps, "
            "--without-documents or --audio",
            "--long",
            "leave out one of them",
        )
    if long or sections is not None or voices:
        return _write(desk, query, long, sections, voices, citations, as_json=as_json)
    if schema is not None:
        return _extract(desk, query, schema, citations, as_json=as_json)
    if show_prompt:
        _show_prompt(desk.prompt(query), as_json=as_json)
        return 0
    bare = desk.ask(query, documents=False) if without_documents else None
    if bare is not None and not as_json:
        bare = displayed(bare)
        echo(f"{style('From memory', bold=True)} {faint('(nothing of it is checked)')}")
        echo(f"{bare.text}\n\n{style('From the documents', bold=True)}")
    shown = Shown(citations, whole=whole, support=support)
    answer = _answer(desk, query, shown, bare, steps=steps, as_json=as_json)
    if audio:
        _speak(answer, Path(audio))
        if not as_json:
            echo(f"Written: {audio}")
    return 1 if answer.declined or answer.choices else 0


def _answer(
    desk: Desk, query: Query, shown: Shown, bare: Answer | None, *, steps: bool, as_json: bool
) -> Answer:
    """Print the answer, as it comes where a model writes it for a person."""
    if desk.settings.answer.model and sys.stdout.isatty() and not as_json and not steps:
        answer = show_stream(desk.stream(query), _model_name(desk))
        show_citations(answer, shown)
        return answer
    live = steps and not as_json
    with nullcontext() if live else busy("searching the documents and reading what was found"):
        answer, tried = take_steps(desk.stream(query), live=live)
    if as_json:
        echo_json(_as_json(answer, bare, shown.citations))
        return answer
    if steps:
        show_steps(answer.steps, tried)
    show_answer(answer, shown)
    return answer


def _write(
    desk: Desk,
    query: Query,
    long: bool,
    sections: int | None,
    voices: str,
    citations: int | None,
    *,
    as_json: bool,
) -> int:
    """Print a longer piece; 1 if the documents say too little."""
    if not long:
        raise CallError("--sections and --voices go with --long", "--long", "add it")
    named = tuple(one.strip() for one in voices.split(",")) if voices else ()
    with progress_shown() as progress:
        most = 5 if sections is None else sections
        article = desk.write(query, sections=most, voices=named, progress=progress)
    if as_json:
        echo_json(as_plain(ArticleOut.of(article, citations)))
    else:
        show_article(article, citations)
    return 0 if article.sections else 1


def _extract(
    desk: Desk, query: Query, schema: Path, citations: int | None, *, as_json: bool
) -> int:
    """Print an object of a schema; 1 if nothing of it is in the documents."""
    filled = desk.extract(query, read_schema(schema))
    if as_json:
        echo_json(as_plain(ExtractionOut.of(filled, citations)))
    else:
        show_extracted(filled, citations)
    return 0 if filled.citations else 1


def _as_json(answer: Answer, bare: Answer | None, citations: int | None) -> dict[str, Any]:
    shown = as_plain(AnswerOut.of(answer, citations))
    if bare is not None:
        shown["without_documents"] = as_plain(AnswerOut.of(bare))
    return shown


def _show_prompt(prompt: PreparedPrompt, *, as_json: bool) -> None:
    """Print what a model would be sent."""
    if as_json:
        shown = PromptOut(
            prompt.instructions,
            prompt.question,
            prompt.tokens,
            prompt.passages,
            prompt.left_out,
            MoneyOut.of(prompt.most),
        )
        echo_json(as_plain(shown))
        return
    prompt = displayed(prompt)
    left = f", {prompt.left_out} left out because the context is full" if prompt.left_out else ""
    told = (
        f"about {prompt.tokens:,} tokens · {counted(prompt.passages, 'passage')}{left} · "
        f"costs at most {prompt.most}"
    )
    echo(f"{prompt.instructions}\n\n{prompt.question}\n\n{faint(told)}")


def _speak(answer: Answer, path: Path) -> None:
    from ....platform.services import speak

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
        raise CallError(f"it is not JSON: {error.msg}", where, "fix it there") from None


def _model_name(desk: Desk) -> str:
    profile = model_profile(desk.settings, desk.folder)
    return profile.name or without_password(profile.address)
