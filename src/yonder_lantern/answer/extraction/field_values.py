"""Taking a value of a kind out of some words, or saying that they bear one out."""

from __future__ import annotations

import re
from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from ...core import BlockKind
from ...text import Analyser, words
from ..answer_type import AnswerType, answer_type, has_answer_type
from ..check import Evidence, Value, check, unit_of, values_in
from ..units import Unit

_YES = frozenset("yes true ja oui x ✓".split())
_NO = frozenset("no false nein non none".split())
_BULLET = re.compile(r"^\s*(?:[-*+•]|\d{1,3}[.)])\s+")
_LABELLED = re.compile(r"^[\s*_]*+([^:|.\n]{2,40}?)[\s*_]*:[\s*_]*(.+)$", re.S)
_MARKUP = re.compile(r"\*\*|__|`|(?<!\w)[*_]|[*_](?!\w)")
_ASKS_NAME = re.compile(r"\bname\b|\bwho\b")
_NEAR = 60  # characters between a number and a word of its name
_INSIDE = re.compile(r"[a-z,;(] $")  # what stands before a word that does not begin a sentence
_NAMED = re.compile(r"\b[A-Z][\w'’-]+(?: (?:[A-Z][\w'’-]+|of|the|de))* ?(?:[A-Z][\w'’-]+)?")


def plain(text: str) -> str:
    """Words without the markup around them."""
    return " ".join(_MARKUP.sub("", _BULLET.sub("", text)).split())


def from_cell(text: str, schema: Mapping[str, Any], name: str = "") -> Any:
    """The value that a cell of a table or a metadata field holds; None if it is of another kind.

    A ``name`` that ends with a unit says what unit a number is wanted in.

    Examples
    --------
    >>> from_cell("900 kg", {"type": "number"}, "load t"), from_cell("none", {"type": "number"})
    (0.9, None)
    """
    text = plain(text)
    kind = schema.get("type", "string")
    if not text or text in ("-", "–", "—"):
        return None
    if kind == "boolean":
        folded = text.casefold()
        return True if folded in _YES else False if folded in _NO else None
    if kind == "string" and not {"format", "enum", "const", "pattern"} & schema.keys():
        return text
    return _typed(text, schema, frozenset(), None, name)


def from_unit(
    unit: Unit,
    schema: Mapping[str, Any],
    label: str,
    analyser: Analyser,
    subject: frozenset[str] = frozenset(),
) -> Any:
    """The value that a sentence or item says under a label of a subject; None if it says none."""
    text = plain(unit.text)
    asked = frozenset(analyser.terms(label))
    labelled = _LABELLED.match(text)
    if labelled and asked & frozenset(analyser.terms(labelled[1])):
        text = labelled[2].strip()
    if schema.get("type") == "boolean":
        return from_cell(text, schema) if labelled else _told(unit, label, analyser)
    return _typed(text, schema, asked, analyser, label, subject)


def _told(unit: Unit, label: str, analyser: Analyser) -> bool | None:
    """Whether a unit says what a label does, or the contrary; None if it says neither."""
    verdict = check(label, [Evidence(unit.text, unit.context_header)], analyser)
    if verdict.supported:
        return True
    contrary = {fault.kind for fault in verdict.faults} <= {"negation", "opposite"}
    return False if contrary else None


def _typed(
    text: str,
    schema: Mapping[str, Any],
    asked: frozenset[str],
    analyser: Analyser | None,
    label: str = "",
    subject: frozenset[str] = frozenset(),
) -> Any:
    kind = schema.get("type", "string")
    if choices := schema.get("enum") or ([schema["const"]] if "const" in schema else None):
        return _choice(text, choices)
    if kind in ("number", "integer"):
        return _number(text, kind, asked, analyser, label, subject)
    form = schema.get("format")
    if form in ("date", "time"):
        return next((said for v in values_in(text) if (said := _moment(v, form))), None)
    if pattern := schema.get("pattern"):
        found = re.search(str(pattern).removeprefix("^").removesuffix("$"), text)
        return found.group() if found else None
    if (
        analyser
        and answer_type(f"who is {label}") is AnswerType.NAME
        and re.search(r"\bname\b|\bwho\b", label)
    ):
        names = [
            found.group().strip()
            for found in _NAMED.finditer(text)
            if " " in found.group().strip() or _INSIDE.search(text[: found.start()])
        ]
        known = subject | asked  # what the question says itself is not the name it asks for
        return next((one for one in names if not set(analyser.terms(one)) <= known), None)
    return text


def _choice(text: str, choices: list[Any]) -> Any:
    """The only choice that a text names."""
    folded = f" {' '.join(words(text.casefold()))} "
    named = [one for one in choices if f" {' '.join(words(str(one).casefold()))} " in folded]
    return named[0] if len(named) == 1 else None


def _number(
    text: str,
    kind: str,
    asked: frozenset[str],
    analyser: Analyser | None,
    label: str,
    subject: frozenset[str],
) -> int | float | None:
    """The number of a text that stands nearest to the words asked for, in their unit."""
    found = [v for v in values_in(text) if v.kind == "number"]
    units = {unit for word in words(label) if (unit := unit_of(word))}
    if units:
        asked_in = next(iter(units)) if len(units) == 1 else ""
        found = [
            in_unit
            for v in found
            if (in_unit := v if v.unit in ("", *units) else v.in_unit(asked_in))
        ]
        if units & {v.unit for v in found}:
            found = [v for v in found if v.unit in units]
    answer_kind = answer_type(label)
    fitting = [v for v in found if has_answer_type(answer_kind, text[v.start : v.start + 40])]
    if answer_kind is not AnswerType.ANYTHING and fitting:
        found = fitting
    if kind == "integer":
        found = [v for v in found if v.amount[0] == int(v.amount[0])]
    named, about = _places(text, asked, analyser), _places(text, subject, analyser)
    if named:  # further off it is of something else
        found = [v for v in found if _distance(v, named) <= _NEAR]
    if not found:
        return None
    near = min(found, key=lambda v: _distance(v, named) + _distance(v, about))
    amount = Decimal(near.amount[0])
    return int(amount) if kind == "integer" or amount == int(amount) else float(amount)


def _places(text: str, terms: frozenset[str], analyser: Analyser | None) -> list[int]:
    if analyser is None or not terms:
        return []
    spans = re.finditer(r"\w+", text)
    return [m.start() for m in spans if not terms.isdisjoint(analyser.terms(m.group()))]


def _distance(value: Value, places: list[int]) -> int:
    return min((abs(value.start - at) for at in places), default=0)


def _moment(value: Value, form: str) -> str | None:
    if form == "date" and value.kind == "date" and all(value.amount):
        return "{:04d}-{:02d}-{:02d}".format(*map(int, value.amount))
    if form == "time" and value.kind == "time":
        return "{:02d}:{:02d}:00".format(*divmod(int(value.amount[0]), 60))
    return None


def bears_out(unit: Unit, value: Any, schema: Mapping[str, Any]) -> bool:
    """Whether a unit, or what stands above it, says a value."""
    text = f"{unit.context_header}\n{unit.text}"
    if isinstance(value, bool):
        return unit.kind is BlockKind.ROW and any(
            from_cell(cell, schema) is value for cell in unit.text.split("|")
        )
    if isinstance(value, int | float):
        amount = Decimal(str(value))
        return any(v.kind == "number" and v.amount[0] == amount for v in values_in(unit.text))
    if schema.get("format") in ("date", "time"):
        return any(_moment(v, schema["format"]) == value for v in values_in(text))
    said = " ".join(words(str(value).casefold()))
    return bool(said) and f" {said} " in f" {' '.join(words(text.casefold()))} "
