"""Filling a schema with a model: its reply is fixed if need be, and every field checked."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ...core import (
    Extracted,
    ExtractedField,
    Money,
    SearchResult,
    ServiceError,
    Tokens,
    Unsupported,
)
from ...platform.services import ModelReply, Prompt
from ..evidence import ContextUnits
from .extractor import Citations, placed
from .field_values import bears_out
from .schema import Field, Shape

_TRIES = 3
_OBJECT = re.compile(r"\{.*\}", re.S)
_SAID = 300  # characters of what was wrong that the model is told


@dataclass(frozen=True, slots=True)
class Asking:
    """What asking a model for fields takes.

    Attributes
    ----------
    prompt : callable
        The prompt, given what was wrong with the reply before.
    send : callable
        Asks the model; within the limits on prices, and entered into the ledger.
    name : str
        The model's.
    """

    prompt: Callable[[str], Prompt]
    send: Callable[[Prompt], ModelReply]
    name: str


class ModelExtractor:
    """Fills the fields of a shape from what a model makes of a brief.

    Parameters
    ----------
    asking : Asking
    result : SearchResult
    units : ContextUnits
        What a field can rest on.
    """

    def __init__(self, asking: Asking, result: SearchResult, units: ContextUnits) -> None:
        self._asking = asking
        self._result = result
        self._units = units

    def fill(self, question: str, shape: Shape) -> Extracted:
        """The object that a model gives, less what the brief does not bear out.

        A reply that is no JSON or does not fit the schema is sent back with what is
        wrong, twice at most.

        Raises
        ------
        ServiceError
            No reply fits.
        """
        tokens, cost, faults, tried = Tokens(), Money(), "", 0
        for _ in range(_TRIES):
            tried += 1
            reply = self._asking.send(self._asking.prompt(faults))
            tokens = Tokens(
                tokens.read + reply.tokens.read,
                tokens.written + reply.tokens.written,
                tokens.estimated or reply.tokens.estimated,
            )
            cost = Money(cost.amount + reply.cost.amount, reply.cost.currency)
            value, wrong = _object(reply.text)
            wrong = wrong or shape.faults(value)
            if not wrong:
                break
            faults = "; ".join(wrong)[:_SAID]
        else:
            raise ServiceError(
                f"the model's reply does not fit the schema: {faults}",
                self._asking.name,
                f"it was asked {_TRIES} times; make the schema simpler, or use another model",
            )
        whole, fields, unsupported = self._checked(value, shape)
        return Extracted(
            question,
            whole,
            fields,
            by=self._asking.name,
            unsupported=tuple(unsupported),
            attempts=tried,
            tokens=tokens,
            cost=cost,
            make=shape.make,
        )

    def _checked(
        self, value: Mapping[str, Any], shape: Shape
    ) -> tuple[dict[str, Any], dict[str, ExtractedField], list[Unsupported]]:
        citations = Citations()
        whole: dict[str, Any] = {}
        fields: dict[str, ExtractedField] = {}
        unsupported: list[Unsupported] = []
        for field in shape.fields:
            said = _at(value, field.path)
            kept, units, doubted = self._borne_out(said, field)
            for one in doubted:
                told = json.dumps(one, ensure_ascii=False)
                why = "nothing in the passages says it"
                unsupported.append(Unsupported(f"{field.pointer}: {told}", why))
            placed(whole, field.path, kept)
            empty = kept in (None, [])
            fields[field.pointer] = ExtractedField(kept, citations.of(units), 0.0 if empty else 1.0)
        return whole, fields, unsupported

    def _borne_out(self, said: Any, field: Field) -> tuple[Any, list[Any], list[Any]]:
        """What of a field the brief says, the units that do, and what it does not."""
        if field.kind == "list" and isinstance(said, list):
            pairs = [(one, self._unit(one, field.schema["items"], field)) for one in said]
            kept = [one for one, unit in pairs if unit is not None]
            return (
                kept,
                [unit for _, unit in pairs if unit is not None],
                [one for one, unit in pairs if unit is None],
            )
        if field.kind == "rows" and isinstance(said, list):
            rows, units, doubted = [], [], []
            for row in said:
                kept_values: dict[str, Any] = {}
                for inner in field.inner:
                    kept, found, wrong = self._borne_out(_at(row, inner.path), inner)
                    placed(kept_values, inner.path, kept)
                    units += found
                    doubted += wrong
                if any(one is not None for one in kept_values.values()):
                    rows.append(kept_values)
            return rows, units, doubted
        if said is None:
            return None, [], []
        unit = self._unit(said, field.schema, field)
        return (said, [unit], []) if unit is not None else (None, [], [said])

    def _unit(self, said: Any, schema: Mapping[str, Any], field: Field) -> Any:
        """The unit that says a value and is nearest to the question and the field."""
        asked = f"{self._result.query.question} {field.label}"
        return self._units.saying(asked, lambda unit: bears_out(unit, said, schema))


def _object(text: str) -> tuple[dict[str, Any], list[str]]:
    """The JSON object in a reply, and what is wrong where there is none."""
    found = _OBJECT.search(text)
    try:
        value = json.loads(found.group() if found else text)
    except ValueError as error:
        return {}, [f"no JSON: {error}"]
    return (value, []) if isinstance(value, dict) else ({}, ["no JSON object"])


def _at(value: Any, path: tuple[str, ...]) -> Any:
    for step in path:
        value = value.get(step) if isinstance(value, Mapping) else None
    return value
