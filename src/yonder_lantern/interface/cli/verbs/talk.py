"""``yonder talk``."""

from __future__ import annotations

import contextlib
import sys

import click

from ....core import QueryParts, YonderError
from ....core.outgoing import AnswerOut, as_plain
from ....text import one_line
from ..options import desk_options, example, open_desk, query_options
from ..showing import show_answer
from ..terminal import displayed, echo, echo_json, faint, style

END_WORDS = frozenset({"bye", "exit", "quit", "end"})


@click.command("talk", epilog=example("yonder talk\nyonder talk --resume"))
@click.option("--resume", is_flag=True, help="Resume the last conversation.")
@click.option("--conversation", metavar="ID", help="Resume this conversation.")
@query_options
@desk_options
def command(
    resume: bool,
    conversation: str | None,
    parts: QueryParts,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Talk in the terminal, one question a line. Ends with "bye" or Ctrl-D.

    A question that leans on the one before ("And in winter?") is put behind it,
    and the rewritten question is shown. Works in a pipe, a question a line.
    """
    desk = open_desk(folder, overrides)
    desk.snapshot()  # nothing gathered yet: say so before the first question
    desk = desk.as_caller(parts.pop("audience", None), parts.pop("as_of", None))
    kept = desk.conversations
    conversation_now = kept.start()
    if resume or conversation:
        conversation_now = kept.resume(conversation or "")
    on_terminal = sys.stdin.isatty() and not as_json
    if on_terminal:
        echo(faint(f"{desk.settings.desk.name}. Ask away; “bye” ends it."))
        for turn in displayed(conversation_now.turns[-3:]):
            echo(f"{style('›', bold=True)} {turn.question}\n{faint(turn.answer)}\n")
    while True:
        question = _next_line(on_terminal)
        if question is None or question.strip().lower() in END_WORDS:
            break
        if not question.strip():
            continue
        try:
            answer, turn = desk.talk(question, conversation_now, **parts)
        except YonderError as error:  # a question too long, say: the conversation goes on
            echo(f"Error: {error}".replace("\n", "\n  "), err=True)
            continue
        if as_json:
            shown = {
                "rewritten": turn.rewritten,
                "conversation": conversation_now.id,
                **as_plain(AnswerOut.of(answer)),
            }
            echo_json(shown)
            continue
        if not on_terminal:
            echo(f"{style('›', bold=True)} {question.strip()}")
        if turn.rewritten != question:
            echo(faint(f"(taken as: {one_line(turn.rewritten)})"))
        show_answer(answer)
        echo()
        sys.stdout.flush()
    if conversation_now.turns and conversation_now.kept and not as_json:
        echo(faint(f"Saved. Resume with: yonder talk --conversation {conversation_now.id}"))
    return 0


def _next_line(on_terminal: bool) -> str | None:
    if on_terminal:
        with contextlib.suppress(ImportError):
            import readline  # noqa: F401  - gives the prompt its line editing
        try:
            return input("› ")
        except EOFError:
            echo()
            return None
        except KeyboardInterrupt:
            echo()
            return None
    line = sys.stdin.readline()
    return line.rstrip("\n") if line else None
