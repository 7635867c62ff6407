"""Writing to a terminal or a pipe: the one place where anything is printed.

Whatever comes from documents, names, servers and models is made visible here and can never act
on the terminal: the only controls that pass are those that `style` puts in.
"""

from __future__ import annotations

import json
import logging
import re
import secrets
import sys
import threading
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar

import click

from ...text import CONTROLS, one_line, visible

AMBER = (156, 98, 10)  # what is cited
SEA = (38, 97, 156)  # what leads somewhere
RED = (178, 34, 34)  # what is bad
FAINT = (106, 112, 116)

# A style is put in between marks that nobody can guess, and becomes a control when it is written.
_KEY = secrets.token_hex(8)
_BEGIN, _END = f"\ufdd0{_KEY}:", "\ufdd1"
_STYLE = re.compile(re.escape(_BEGIN) + "([0-9;]+)" + _END)
# Fields of records that may have several lines; all others are shown on one.
_OF_LINES = frozenset(
    {
        "text",
        "words",
        "quote",
        "context_header",
        "before",
        "after",
        "instructions",
        "question",
        "answer",
        "rewritten",
    }
)
Record = TypeVar("Record")


def style(
    text: str,
    *,
    fg: tuple[int, int, int] | None = None,
    bold: bool = False,
    struck: bool = False,
) -> str:
    """Text in a colour, bold or struck out, once it is written to a terminal."""
    codes = [code for code, wanted in (("1", bold), ("9", struck)) if wanted]
    if fg is not None:
        codes.append(f"38;2;{fg[0]};{fg[1]};{fg[2]}")
    if not codes or not text:
        return text
    return f"{_BEGIN}{';'.join(codes)}{_END}{text}{_BEGIN}0{_END}"


def faint(text: str) -> str:
    """Text that matters less."""
    return style(text, fg=FAINT)


def written(text: str) -> str:
    """A text as it is written: styles as controls, everything else visible."""
    parts = _STYLE.split(text)
    return "".join(
        f"\x1b[{part}m" if number % 2 else visible(part) for number, part in enumerate(parts)
    )


def echo(text: str = "", *, err: bool = False, nl: bool = True) -> None:
    """Print a text; on a terminal with its styles."""
    click.echo(written(text), err=err, nl=nl)


def echo_json(value: Any) -> None:
    """Print a value as one line of JSON, which no control character is part of."""
    text = json.dumps(value, ensure_ascii=False, default=str)
    click.echo(CONTROLS.sub(_escaped, text))


def _escaped(match: re.Match[str]) -> str:
    return f"\\u{ord(match[0]):04x}"


def displayed(record: Record, name: str = "") -> Record:
    """A record as it may be shown: each text on one line, but those that have several.

    Parameters
    ----------
    record
        A dataclass, a mapping, a list or a text; what is none of these stays.
    name : str
        Of the field that holds it.
    """
    shown: Any = record
    if isinstance(record, str):
        shown = visible(record) if name in _OF_LINES else one_line(record)
    elif is_dataclass(record) and not isinstance(record, type):
        changed = {}
        for field in fields(record):
            before = getattr(record, field.name)
            after = displayed(before, field.name)
            if after is not before and after != before:
                changed[field.name] = after
        shown = replace(record, **changed) if changed else record
    elif isinstance(record, Mapping):
        shown = {displayed(key): displayed(value, str(key)) for key, value in record.items()}
    elif type(record) in (list, tuple):
        shown = type(record)(displayed(one, name) for one in record)  # type: ignore[call-arg, attr-defined]
    found: Record = shown
    return found


class VisibleFormatter(logging.Formatter):
    """Log messages on one line, without controls."""

    def format(self, record: logging.LogRecord) -> str:
        """A message as it is printed."""
        return one_line(super().format(record))


@contextmanager
def waiting_for(name: str) -> Iterator[None]:
    """Say on a terminal how many seconds something has been waited for; nothing in a pipe."""
    with busy(f"waiting for {name}"):
        yield


@contextmanager
def busy(what: str) -> Iterator[None]:
    """Say on a terminal what is done, once it takes a second; nothing in a pipe."""
    if not sys.stderr.isatty():
        yield
        return
    over = threading.Event()
    began = time.monotonic()

    def tell() -> None:
        if over.wait(1.0):
            return
        while not over.wait(0.5):
            said = faint(f"{one_line(what)}: {time.monotonic() - began:.0f} s")
            sys.stderr.write(f"\r{written(said)}\x1b[K")
            sys.stderr.flush()

    teller = threading.Thread(target=tell, daemon=True)
    teller.start()
    try:
        yield
    finally:
        over.set()
        teller.join()
        sys.stderr.write("\r\x1b[K")
        sys.stderr.flush()


class Scroll:
    """Writes a text on a terminal as it comes, wrapped at words, and can take its end back.

    Parameters
    ----------
    columns, rows : int
        Of the terminal.
    """

    def __init__(self, columns: int, rows: int) -> None:
        self._columns = columns
        self._rows = rows
        self._column = 0
        self._pending = ""  # written since `settle`, in a faint colour
        self._held = ""  # the beginning of a word, which may not fit on this line
        self._start = 0  # the column at which what is pending began
        self._below = 0  # lines since then

    @property
    def at_start(self) -> bool:
        """Whether the next text begins a line."""
        return self._column == 0

    def write(self, text: str) -> None:
        """Write a further piece; the word at its end waits until it is whole."""
        self._pending += text
        self._held += text
        cut = max(self._held.rfind(" "), self._held.rfind("\n")) + 1
        self._put(self._held[:cut], faint)
        self._held = self._held[cut:]

    def settle(self, raw: str, text: str, *, struck: bool = False) -> None:
        """Put a text in place of what was written first since the last time.

        Parameters
        ----------
        raw : str
            What was written.
        text : str
            What stands there from now on; styled.
        struck : bool
            Whether it is struck out.
        """
        if not self._pending.startswith(raw) or self._below >= self._rows - 1:
            return
        rest = self._pending[len(raw) :]
        up = f"\x1b[{self._below}A" if self._below else ""
        right = f"\x1b[{self._start}C" if self._start else ""
        sys.stdout.write(f"{up}\r{right}\x1b[J")
        self._column = self._start
        self._put(text, (lambda part: style(part, fg=FAINT, struck=True)) if struck else str)
        self._begin()
        self._held = ""
        self.write(rest)

    def end(self) -> None:
        """Write what is held, and end the line."""
        self._put(self._held, faint)
        self._held = ""
        if self._column:
            sys.stdout.write("\n")
        sys.stdout.flush()
        self._column = 0
        self._begin()

    def _begin(self) -> None:
        self._pending, self._start, self._below = "", self._column, 0

    def _put(self, text: str, styled: Any) -> None:
        from rich.cells import cell_len

        out = ""
        for part in re.findall(r"\n|[^\S\n]+|[^\s]+", text):
            size = cell_len(visible(_STYLE.sub("", part)))
            if part == "\n":
                out += "\n"
                self._column, self._below = 0, self._below + 1
                continue
            if self._column + size > self._columns and self._column:
                out += "\n"
                self._column, self._below = 0, self._below + 1
                if part.isspace():
                    continue
            out += written(styled(part))
            self._column += size
            while self._column > self._columns:  # a word longer than a line
                self._column, self._below = self._column - self._columns, self._below + 1
        sys.stdout.write(out)
        sys.stdout.flush()
