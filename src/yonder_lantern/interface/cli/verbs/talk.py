"""``yonder talk``."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Sequence
from dataclasses import asdict

import click

from ....conversation import Conversations, ConversationSummary, as_markdown
from ....core import QueryParts, YonderError
from ....core.outgoing import AnswerOut, as_plain
from ....text import one_line
from ..options import desk_options, example, open_desk, query_options
from ..showing import show_answer
from ..terminal import displayed, echo, echo_json, faint, style

END_WORDS = frozenset({"bye", "exit", "quit", "end"})


@click.command("talk", epilog=example("yonder talk\nyonder talk --resume\nyonder talk --list"))
@click.option("--resume", is_flag=True, help="Resume the last conversation.")
@click.option("--conversation", metavar="ID", help="Resume this conversation.")
@click.option("--list", "listed", is_flag=True, help="List the conversations, newest first.")
@click.option("--search", metavar="WORDS", help="List those in which these words were said.")
@click.option("--rename", nargs=2, metavar="ID TITLE", help="Call a conversation something else.")
@click.option("--export", "exported", metavar="ID", help="Print it as Markdown; --json as JSON.")
@click.option("--delete", "deleted", metavar="ID", help="Delete a conversation for good.")
@query_options
@desk_options
def command(
    resume: bool,
    conversation: str | None,
    listed: bool,
    search: str | None,
    rename: tuple[str, str] | None,
    exported: str | None,
    deleted: str | None,
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
    audience, as_of = parts.pop("audience", None), parts.pop("as_of", None)
    kept = desk.as_caller(audience, as_of).conversations
    if listed or search:
        return _list(list(kept.newest(text=search or "")), as_json=as_json)
    if rename or exported or deleted:
        return _put_in_order(kept, rename, exported, deleted, as_json=as_json)
    desk.snapshot()  # nothing gathered yet: say so before the first question
    desk = desk.as_caller(audience, as_of)
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


def _put_in_order(
    kept: Conversations,
    rename: tuple[str, str] | None,
    exported: str | None,
    deleted: str | None,
    *,
    as_json: bool,
) -> int:
    """Rename, export or delete a conversation."""
    if rename:
        kept.rename(*rename)
        echo(f"Renamed: {rename[0]}")
    if exported:
        found = kept.resume(exported)
        if as_json:
            echo_json(asdict(found))
        else:
            echo(as_markdown(displayed(found)))
    if deleted:
        kept.delete(deleted)
        echo(f"Deleted: {deleted}")
    return 0


def _list(found: Sequence[ConversationSummary], *, as_json: bool) -> int:
    """Print conversations, a line each; 1 where there are none."""
    for one in found:
        if as_json:
            echo_json(asdict(one))
        else:
            turns = f"{one.turns} turn{'s' if one.turns != 1 else ''}"
            echo(
                f"{one.id}  {one.changed[:16].replace('T', ' ')}  {turns:>9}  {one_line(one.title)}"
            )
    if not found and not as_json:
        echo("No conversation has been kept.")
    return 0 if found else 1


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
