"""Filters on metadata, in a part of SQL's boolean expressions.

References
----------
ISO/IEC 9075-2 (SQL), search conditions and their three truth values.
"""

from __future__ import annotations

import difflib
import math
import operator
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Protocol

import numpy as np

from ..core import CallError
from ..index import Column
from ..platform.storage import Array

_TOKEN = re.compile(
    r"\s*(?:(?P<string>'(?:[^']|'')*')|(?P<quoted>\"(?:[^\"]|\"\")+\")"
    r"|(?P<number>[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)"
    r"|(?P<name>[^\W\d][\w.\-]*)|(?P<mark><=|>=|<>|!=|=|<|>|\(|\)|,))"
)
_COMPARISONS: dict[str, Callable[[Any, Any], bool]] = {
    "=": operator.eq,
    "<>": operator.ne,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
_WORDS = ("and", "or", "not", "in", "like", "between", "is", "null", "true", "false", "date")
_EXAMPLE = "for example: kind = 'notice' AND issued >= DATE '2026-01-01'"
_DEEPEST = 50
_LONGEST = 10_000
_REMEMBERED = 32  # conditions


class Columns(Protocol):
    """Gives the column of a metadata field, and remembers what conditions came to."""

    remembered: dict[tuple[str, bytes], Array]

    def __getitem__(self, name: str, /) -> Column:
        """A field's column; empty if no document has it."""
        ...

    def names(self) -> list[str]:
        """The names of all metadata."""
        ...


@dataclass(frozen=True, slots=True)
class Truth:
    """For each document, whether a condition is true, and whether it is false.

    It is neither where the field is missing, as in SQL.
    """

    true: Array
    false: Array


Condition = Callable[["_Documents"], Truth]


@dataclass(frozen=True, slots=True)
class _Documents:
    """The documents a condition is looked at for."""

    columns: Columns
    count: int
    counted: Array  # those the caller may see

    def column(self, name: str) -> Column:
        column = self.columns[name]
        if not self.has(name):
            known = [one for one in self.columns.names() if self.has(one)]
            near = difflib.get_close_matches(name, known, 1)
            hint = f"did you mean {near[0]!r}?" if near else "see `yonder look --metadata`"
            raise CallError(f"no document has a metadata field {name!r}", "where", hint)
        return column

    def has(self, name: str) -> bool:
        """Whether a document that counts has a metadata field."""
        return bool(self.counted[self.columns[name].owners].any())

    def truth(self, column: Column, hits: Array) -> Truth:
        """True where a value of a document is among the hits, false where it has none there."""
        true = np.zeros(self.count, dtype=bool)
        known = np.zeros(self.count, dtype=bool)
        known[column.owners] = True
        true[column.owners[hits[column.codes]]] = True
        return Truth(true, known & ~true)


def parse_where(text: str) -> Condition:
    """A condition from its text.

    Known are ``=``, ``<>``, ``!=``, ``<``, ``<=``, ``>``, ``>=``, ``[NOT] IN (…)``,
    ``[NOT] LIKE '…'`` with ``%`` and ``_``, ``[NOT] BETWEEN … AND …``, ``IS [NOT]
    NULL``, ``NOT``, ``AND``, ``OR`` and brackets. Values are numbers, ``'strings'``,
    ``TRUE``, ``FALSE`` and ``DATE '2026-01-01'``. A metadata field that holds a list fits if
    one of its values does.

    Raises
    ------
    CallError
        It is not such a condition; where, and what was expected.
    """
    if len(text) > _LONGEST:
        raise CallError(f"the filter is longer than {_LONGEST} characters", "where", "shorten it")
    return _Parser(text).whole()


def documents_where(text: str, columns: Columns, count: int, counted: Array) -> Array:
    """Which of ``count`` documents a condition is true for; remembered with the columns.

    Parameters
    ----------
    text : str
        The condition.
    columns : Columns
    count : int
    counted : bool array, shape (count,)
        The documents the caller may see; others tell nothing, not even a name.

    Raises
    ------
    CallError
        It is no condition, or none of those documents has a metadata field of that name.
    """
    key = (text, np.packbits(counted).tobytes())  # nobody learns what others may have asked
    known = columns.remembered.get(key)
    if known is None:
        known = parse_where(text)(_Documents(columns, count, counted)).true
        while len(columns.remembered) >= _REMEMBERED:
            columns.remembered.pop(next(iter(columns.remembered)), None)
        columns.remembered[key] = known
    return known


class _Parser:
    def __init__(self, text: str) -> None:
        self._text = text
        self._tokens = list(_tokens(text))
        self._at = 0
        self._depth = 0

    def whole(self) -> Condition:
        if not self._tokens:
            raise CallError("the filter is empty", "where", _EXAMPLE)
        condition = self._either()
        if self._at < len(self._tokens):
            self._fail("AND, OR or the end")
        return condition

    # -- tokens

    def _fail(self, wanted: str) -> None:
        if self._at < len(self._tokens):
            _, value, location = self._tokens[self._at]
            found = f"{value!r} at character {location + 1}"
        else:
            found = "its end"
        raise CallError(f"the filter has {found} where {wanted} should be", "where", _EXAMPLE)

    def _word(self, *wanted: str) -> bool:
        if self._at < len(self._tokens):
            kind, value, _ = self._tokens[self._at]
            if kind in ("name", "mark") and value.casefold() in wanted:
                self._at += 1
                return True
        return False

    def _need(self, wanted: str) -> None:
        if not self._word(wanted.casefold()):
            self._fail(wanted)

    # -- conditions

    def _either(self) -> Condition:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise CallError("the filter is nested too deeply", "where", "write it flatter")
        parts = [self._all()]
        while self._word("or"):
            parts.append(self._all())
        self._depth -= 1
        return parts[0] if len(parts) == 1 else _joined(parts, np.logical_or, np.logical_and)

    def _all(self) -> Condition:
        parts = [self._denied()]
        while self._word("and"):
            parts.append(self._denied())
        return parts[0] if len(parts) == 1 else _joined(parts, np.logical_and, np.logical_or)

    def _denied(self) -> Condition:
        turned = False
        while self._word("not"):
            turned = not turned
        if self._word("("):
            condition = self._either()
            self._need(")")
        else:
            condition = self._predicate()
        return _turned(condition) if turned else condition

    def _predicate(self) -> Condition:
        name = self._name()
        if self._word("is"):
            turned = self._word("not")
            self._need("NULL")
            return _missing(name, wanted=not turned)
        turned = self._word("not")
        if self._word("in"):
            self._need("(")
            values = [self._value()]
            while self._word(","):
                values.append(self._value())
            self._need(")")
            found = _any_of(name, [_one_of(values)])
        elif self._word("like"):
            pattern = self._value()
            if not isinstance(pattern, str):
                self._at -= 1
                self._fail("a 'pattern'")
            found = _any_of(name, [_like(str(pattern))])
        elif self._word("between"):
            low = _compare(operator.ge, self._value())
            self._need("AND")
            high = _compare(operator.le, self._value())
            found = _any_of(name, [lambda text, number: low(text, number) and high(text, number)])
        elif turned:
            self._fail("IN, LIKE or BETWEEN")
            raise AssertionError
        else:
            mark = next((sign for sign in _COMPARISONS if self._word(sign)), "")
            if not mark:
                self._fail("a comparison, IN, LIKE, BETWEEN or IS")
            value = self._value()
            if mark in ("<>", "!="):
                return _turned(_any_of(name, [_compare(operator.eq, value)]))
            found = _any_of(name, [_compare(_COMPARISONS[mark], value)])
        return _turned(found) if turned else found

    def _name(self) -> str:
        if self._at < len(self._tokens):
            kind, value, _ = self._tokens[self._at]
            if kind == "quoted" or (kind == "name" and value.casefold() not in _WORDS):
                self._at += 1
                return value
            if kind == "name" and value.casefold() == "date":  # a metadata field may be called so
                self._at += 1
                return value
        self._fail("the name of a metadata field")
        raise AssertionError

    def _value(self) -> str | float:
        if self._at < len(self._tokens):
            kind, value, _ = self._tokens[self._at]
            word = value.casefold()
            if kind in ("string", "number"):
                self._at += 1
                return value if kind == "string" else float(value)
            if kind == "name" and word in ("true", "false"):
                self._at += 1
                return float(word == "true")
            if kind == "name" and word == "date":
                self._at += 1
                if self._at < len(self._tokens) and self._tokens[self._at][0] == "string":
                    moment = self._tokens[self._at][1]
                    if _is_moment(moment):
                        self._at += 1
                        return moment
                self._fail("a date as '2026-01-31'")
        self._fail("a number, a 'string', TRUE, FALSE or DATE '…'")
        raise AssertionError


def _tokens(text: str) -> Iterator[tuple[str, str, int]]:
    at = 0
    while at < len(text):
        if not text[at:].strip():
            return
        match = _TOKEN.match(text, at)
        if match is None:
            location = at + len(text[at:]) - len(text[at:].lstrip())
            if text[location] in "'\"":
                what = "a quotation mark that is not closed"
            else:
                what = f"{text[location]!r}, which means nothing here"
            raise CallError(
                f"the filter has {what}, at character {location + 1}", "where", _EXAMPLE
            )
        kind = str(match.lastgroup)
        value = match[kind]
        if kind == "string":
            value = value[1:-1].replace("''", "'")
        elif kind == "quoted":
            value = value[1:-1].replace('""', '"')
        yield kind, value, match.start(kind)
        at = match.end()


def _is_moment(text: str) -> bool:
    try:
        date.fromisoformat(text)
    except ValueError:
        try:
            datetime.fromisoformat(text)
        except ValueError:
            return False
    return True


Test = Callable[[str, float], bool]


def _compare(comparison: Callable[[Any, Any], bool], wanted: str | float) -> Test:
    if isinstance(wanted, str):
        return lambda text, _: comparison(text, wanted)
    return lambda _, number: not math.isnan(number) and comparison(number, wanted)


def _one_of(wanted: list[str | float]) -> Test:
    strings = {value for value in wanted if isinstance(value, str)}
    numbers = {value for value in wanted if not isinstance(value, str)}
    return lambda text, number: text in strings or number in numbers


def _like(pattern: str) -> Test:
    """SQL's LIKE, whatever the case of the letters."""
    parts = [
        "".join("." if character == "_" else re.escape(character) for character in part)
        for part in pattern.split("%")
    ]
    if len(parts) > 1:  # each part at its first place: no need to try others, which could take long
        inner = "".join(f"(?>.*?{part})" for part in parts[1:-1] if part)
        parts = [parts[0], inner, ".*", parts[-1]]
    matcher = re.compile("".join(parts), re.IGNORECASE | re.DOTALL)
    return lambda text, _: matcher.fullmatch(text) is not None


def _any_of(name: str, tests: list[Test]) -> Condition:
    def condition(documents: _Documents) -> Truth:
        column = documents.column(name)
        pairs = zip(column.strings, column.numbers.tolist(), strict=True)
        hits = [any(test(text, number) for test in tests) for text, number in pairs]
        return documents.truth(column, np.array(hits, dtype=bool))

    return condition


def _missing(name: str, *, wanted: bool) -> Condition:
    def condition(documents: _Documents) -> Truth:
        known = np.zeros(documents.count, dtype=bool)
        known[documents.column(name).owners] = True
        return Truth(~known, known) if wanted else Truth(known, ~known)

    return condition


def _turned(condition: Condition) -> Condition:
    def turned(documents: _Documents) -> Truth:
        found = condition(documents)
        return Truth(found.false, found.true)

    return turned


def _joined(
    parts: list[Condition],
    for_true: Callable[[Array, Array], Array],
    for_false: Callable[[Array, Array], Array],
) -> Condition:
    def joined(documents: _Documents) -> Truth:
        found = [part(documents) for part in parts]
        true, false = found[0].true, found[0].false
        for one in found[1:]:
            true, false = for_true(true, one.true), for_false(false, one.false)
        return Truth(true, false)

    return joined
