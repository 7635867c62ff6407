"""``yonder notes``."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

import click

from ....core import CallError
from ..options import desk_options, example, open_desk
from ..showing import counted, show_note
from ..terminal import echo, echo_json


@click.command(
    "notes",
    epilog=example(
        'yonder notes --leave "The crane is out of order." --by ada --until 2026-12-04\n'
        'yonder notes --find "Is the crane working?"\n'
        "yonder notes --withdraw 20261129T2201"
    ),
)
@click.option("--leave", metavar="TEXT", help="Leave a note.")
@click.option("--conversation", metavar="ID", help="Leave a whole conversation as notes.")
@click.option(
    "--by", default="owner", show_default=True, metavar="NAME", help="Who leaves or withdraws it."
)
@click.option("--audience", multiple=True, metavar="LABEL",
              help="Who may see the note. May be repeated.  [default: public]")  # fmt: skip
@click.option("--about", default="", metavar="DOCUMENT", help="The document the note is about.")
@click.option("--source", default="", metavar="TEXT", help="Where it comes from.")
@click.option("--from", "valid_from", default="", metavar="DATE", help="When it starts to apply.")
@click.option("--until", "valid_until", default="", metavar="DATE", help="When it stops applying.")
@click.option("--find", metavar="QUESTION", help="Find the notes that fit a question.")
@click.option("--withdraw", metavar="ID", help="Withdraw a note: it is kept, but no longer found.")
@click.option("--forget", metavar="ID", help="Delete a note for good.")
@click.option("--all", "whole", is_flag=True, help="Also list notes withdrawn or no longer valid.")
@click.option("--export", metavar="FILE", help="Write all notes as JSON Lines.")
@desk_options
def command(
    leave: str | None,
    conversation: str | None,
    by: str,
    audience: tuple[str, ...],
    about: str,
    source: str,
    valid_from: str,
    valid_until: str,
    find: str | None,
    withdraw: str | None,
    forget: str | None,
    whole: bool,
    export: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Leave, find and withdraw notes; without an option, list the notes in force.

    Notes that fit a question are shown beside its answer, never mixed up with it.

    Exit status 1 when there is none.
    """
    desk = open_desk(folder, overrides)
    book = desk.notes
    if leave is not None:
        note = book.leave(
            leave,
            by=by,
            audience=audience or None,
            source=source,
            about=about,
            valid_from=valid_from,
            valid_until=valid_until,
        )
        _say(asdict(note), f"Note {note.id} is kept for {', '.join(note.audience)}.", as_json)
        return 0
    if conversation is not None:
        left = desk.leave_conversation(conversation, by=by, audience=audience or None)
        told = f"{counted(len(left), 'note')} kept for {', '.join(left[0].audience)}."
        _say([asdict(one) for one in left], told, as_json)
        return 0
    if withdraw or forget:
        id_ = _whole_id([one.id for one in book.all()], withdraw or forget or "")
        if withdraw:
            gone = book.withdraw(id_, by=by)
            _say(asdict(gone), f"Note {id_} is withdrawn.", as_json)
        else:
            book.forget(id_)
            _say({"forgotten": id_}, f"Note {id_} is deleted for good.", as_json)
        return 0
    if find is not None:
        found = desk.find_notes(find)
        if as_json:
            echo_json([asdict(one) for one in found])
        for one in found if not as_json else ():
            show_note(one.note, one)
        return 0 if found else 1
    notes = book.all() if whole or export else book.standing()
    if export:
        lines = "".join(json.dumps(asdict(one), ensure_ascii=False) + "\n" for one in notes)
        Path(export).write_text(lines, encoding="utf-8")
        echo(f"Written: {export}, {counted(len(notes), 'note')}")
        return 0
    if as_json:
        echo_json([asdict(one) for one in notes])
    elif not notes:
        echo("There are no notes.")
    for note in notes if not as_json else ():
        show_note(note)
    return 0 if notes else 1


def _whole_id(ids: list[str], beginning: str) -> str:
    found = [one for one in ids if one.startswith(beginning)]
    if len(found) != 1:
        what = "several notes begin" if found else "there is no note that begins"
        raise CallError(f"{what} with {beginning!r}", "note", "list them: yonder notes --all")
    return found[0]


def _say(value: object, line: str, as_json: bool) -> None:
    if as_json:
        echo_json(value)
    else:
        echo(line)
