"""``yonder talk``."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import asdict

import click

from ....conversation import Conversation, Conversations, ConversationSummary, Turn, as_markdown
from ....core import Query, QueryParts, YonderError, query_of
from ....core.outgoing import AnswerOut, as_plain
from ....desk import Desk
from ....settings import model_profile
from ....text import one_line
from ..options import desk_options, example, open_desk, query_options
from ..prompting import Prompter
from ..showing import show_answer, show_citations
from ..streaming import show_stream
from ..talk_commands import TalkCommands
from ..terminal import displayed, echo, echo_json, faint, style

END_WORDS = frozenset({"bye", "exit", "quit", "end", ":quit", ":exit", ":q", ":bye"})


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

    A question that leans on the one before ("And in winter?") is put behind it, and the
    rewritten question is shown. ":help" lists what else can be typed: open a citation, undo,
    recap. Ctrl-C stops an answer. Works in a pipe, a question a line.
    """
    desk = open_desk(folder, overrides)
    desk.check_audience(parts.get("audience") or ())
    audience, as_of = parts.pop("audience", None), parts.pop("as_of", None)
    kept = desk.as_caller(audience, as_of).conversations
    if listed or search:
        return _list(list(kept.newest(text=search or "")), as_json=as_json)
    if rename or exported or deleted:
        return _put_in_order(kept, rename, exported, deleted, as_json=as_json)
    desk.snapshot()  # nothing gathered yet: say so before the first question
    desk = desk.as_caller(audience, as_of)
    held = kept.resume(conversation or "") if resume or conversation else kept.start()
    on_terminal = sys.stdin.isatty() and not as_json
    commands = TalkCommands(desk, held)
    if on_terminal:
        echo(faint(f"{desk.settings.desk.name}. Ask away; “:help” lists more, “bye” ends it."))
        commands.show_last()
    prompter = Prompter(on_terminal, [turn.question for turn in held.turns])
    while True:
        line = prompter.next_line()
        if line is None or line.strip().lower() in END_WORDS:
            break
        if not line.strip():
            continue
        if not on_terminal and not as_json:
            echo(f"{style('›', bold=True)} {line.strip()}")
        try:
            if commands.takes(line):
                query = commands.run(line)
                held = commands.conversation
                if query is None:
                    continue
            else:
                query = Query(line)
            _answer(desk, query_of(query, parts), held, on_terminal=on_terminal, as_json=as_json)
        except YonderError as error:  # a question too long, say: the conversation goes on
            echo(f"Error: {error}".replace("\n", "\n  "), err=True)
        except KeyboardInterrupt:
            echo(f"\n{faint('Stopped.')}")
        sys.stdout.flush()
    if held.turns and held.kept and not as_json:
        echo(faint(f"Saved. Resume with: yonder talk --conversation {held.id}"))
    return 0


def _answer(
    desk: Desk, query: Query, held: Conversation, *, on_terminal: bool, as_json: bool
) -> None:
    """Answer a question and print the answer."""
    if on_terminal and desk.settings.answer.model:
        profile = model_profile(desk.settings, desk.folder)
        answer = show_stream(desk.stream_turn(query, held), profile.name or "the model")
        _show_taken(query.text, held.turns[-1])
        show_citations(answer)
        echo()
        return
    answer, turn = desk.talk(query, held)
    if as_json:
        whole = as_plain(AnswerOut.of(answer))
        echo_json({"rewritten": turn.rewritten, "conversation": held.id, **whole})
        return
    _show_taken(query.text, turn)
    show_answer(answer)
    echo()


def _show_taken(asked: str, turn: Turn) -> None:
    """Say what a question became, where the documents were asked that."""
    if turn.way == "documents" and not asked.strip().endswith(turn.rewritten.strip()):
        echo(faint(f"(taken as: {one_line(turn.rewritten)})"))


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
