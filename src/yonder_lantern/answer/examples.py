"""Worked examples for a model: questions with the answers that are wanted, from a file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from ..core import SettingsError

_REMEDY = 'write one object a line: {"question": "…", "answer": "…"}, with "passages" if wanted'


class Example(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A question, the passages that come with it, if any, and the answer that is wanted."""

    question: str
    answer: str
    passages: tuple[str, ...] = ()


def read_examples(path: Path) -> tuple[Example, ...]:
    """The examples of a file in JSON Lines, in order.

    Raises
    ------
    SettingsError
        It cannot be read, or a line is no example.
    """
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        where = f"answer.examples: {path}"
        raise SettingsError(f"the examples cannot be read: {error}", where, _REMEDY) from None
    found = []
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            found.append(msgspec.json.decode(line, type=Example))
        except (msgspec.DecodeError, UnicodeEncodeError) as error:
            where = f"{path}, line {number}"
            raise SettingsError(f"this is no worked example: {error}", where, _REMEDY) from None
    return tuple(found)


def that_fit(
    examples: Sequence[Example], tokens_of: Callable[[str], int], most: float
) -> list[Example]:
    """The first examples that have no more tokens together.

    Examples
    --------
    >>> some = [Example("Where?", "At the quay [1]."), Example("When?", "At noon [1].")]
    >>> [one.question for one in that_fit(some, lambda text: len(text.split()), 6)]
    ['Where?']
    """
    found: list[Example] = []
    left = most
    for one in examples:
        left -= tokens_of(" ".join((*one.passages, one.question, one.answer)))
        if left < 0:
            break
        found.append(one)
    return found
