"""The fields of a JSON Schema, or of a class that gives one."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ...core import CallError, optional
from ..check import unit_of

Kind = Literal["string", "number", "integer", "boolean", "list", "rows"]
_WORDS = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|\d+")
_DEEPEST = 8
_SIMPLE = ("string", "number", "integer", "boolean")


@dataclass(frozen=True, slots=True)
class Field:
    """One field to be filled.

    Attributes
    ----------
    path : tuple of str
        Where it stands in the object.
    label : str
        Its name in words, with its title and description and those above it.
    kind : str
    schema : mapping
        Its part of the schema.
    inner : tuple of Field
        Of ``rows``, a list of objects: the fields of each.
    """

    path: tuple[str, ...]
    label: str
    kind: Kind
    schema: Mapping[str, Any]
    inner: tuple[Field, ...] = ()

    @property
    def name(self) -> str:
        """Its own name, as words, without a unit: ``depth_m`` is ``depth``."""
        last = _in_words(self.path[-1])
        return " ".join(word for word in last.split() if not unit_of(word)) or last

    @property
    def pointer(self) -> str:
        """Its JSON Pointer."""
        return "".join("/" + step.replace("~", "~0").replace("/", "~1") for step in self.path)


@dataclass(frozen=True, slots=True)
class Shape:
    """A schema, its fields, and how an object of a class is made of a value."""

    schema: Mapping[str, Any]
    fields: tuple[Field, ...]
    make: Callable[[Any], Any]

    def faults(self, value: Any) -> list[str]:
        """What of a value does not fit the schema, None and what is left out apart."""
        jsonschema = optional("jsonschema", "typed", "checking against a schema")
        validator = jsonschema.validators.validator_for(self.schema)(
            self.schema, format_checker=jsonschema.FormatChecker()
        )
        return [
            f"{error.json_path}: {error.message}"
            for error in validator.iter_errors(_without_none(value))
            if error.validator not in ("required", "minItems", "minProperties")
        ]


def shape_of(given: Any) -> Shape:
    """The shape that a JSON Schema, or a class with ``model_json_schema``, describes.

    Raises
    ------
    CallError
        It is no JSON Schema of an object, or one that cannot be filled.
    MissingExtraError
        The package that reads schemas is not installed.

    References
    ----------
    JSON Schema, draft 2020-12.

    Examples
    --------
    >>> shape = shape_of({"type": "object", "properties": {"deepestDraught": {"type": "number"}}})
    >>> shape.fields[0].pointer, shape.fields[0].label
    ('/deepestDraught', 'deepest draught')
    """
    jsonschema = optional("jsonschema", "typed", "typed answers")
    make: Callable[[Any], Any] = lambda value: value  # noqa: E731
    schema = given
    if hasattr(given, "model_json_schema"):
        schema, make = given.model_json_schema(), given.model_validate
    if not isinstance(schema, Mapping):
        raise CallError(
            f"not a JSON Schema: {type(given).__name__}",
            "schema",
            "give a mapping, or a class that has model_json_schema",
        )
    try:
        jsonschema.validators.validator_for(schema).check_schema(schema)
    except jsonschema.SchemaError as error:
        raise CallError(
            f"no JSON Schema: {error.message}", f"schema, {error.json_path}", "fix it there"
        ) from None
    whole = _resolved(schema, schema, ())
    if whole.get("type") != "object" or not whole.get("properties"):
        raise CallError(
            "the schema is not one of an object with properties",
            "schema",
            'give it "type": "object" and "properties"',
        )
    return Shape(schema, tuple(_fields(whole, schema, (), "", 0)), make)


def _fields(
    schema: Mapping[str, Any],
    root: Mapping[str, Any],
    path: tuple[str, ...],
    above: str,
    depth: int,
) -> Iterator[Field]:
    if depth > _DEEPEST:
        raise CallError("the schema is nested too deeply", _pointer(path), "make it flatter")
    for name, raw in schema["properties"].items():
        location = (*path, name)
        part = _resolved(raw, root, location)
        label = _label(name, part, above)
        kind = part.get("type")
        if kind is None and ("enum" in part or "const" in part):
            kind = "string"
        if kind == "object" and part.get("properties"):
            yield from _fields(part, root, location, label, depth + 1)
        elif kind == "array":
            items = _resolved(part.get("items", {"type": "string"}), root, location)
            if items.get("type") == "object" and items.get("properties"):
                inner = tuple(_fields(items, root, (), "", depth + 1))
                yield Field(location, label, "rows", part, inner)
            elif items.get("type", "string") in _SIMPLE:
                yield Field(location, label, "list", {**part, "items": items})
            else:
                raise _unfillable(location, items)
        elif kind in _SIMPLE:
            yield Field(location, label, kind, part)
        else:
            raise _unfillable(location, part)


def _unfillable(path: tuple[str, ...], part: Mapping[str, Any]) -> CallError:
    said = json.dumps(part, default=str)[:80]
    return CallError(
        f"such a field cannot be filled: {said}",
        f"schema, {_pointer(path)}",
        "give it a type: string, number, integer, boolean, an object with properties, "
        "or an array of these",
    )


def _pointer(path: tuple[str, ...]) -> str:
    return Field(path, "", "string", {}).pointer or "/"


def _in_words(name: str) -> str:
    """A name as words: ``deepestDraught`` is ``deepest draught``."""
    return " ".join(_WORDS.findall(name)).lower() or name


def _label(name: str, part: Mapping[str, Any], above: str) -> str:
    told = [above, _in_words(name)]
    title, description = str(part.get("title", "")), str(part.get("description", ""))
    if title and title.casefold() != told[1]:
        told.append(title)
    told.append(description)
    return " ".join(filter(None, told))


def _resolved(
    part: Mapping[str, Any], root: Mapping[str, Any], path: tuple[str, ...]
) -> dict[str, Any]:
    """A part of a schema with what it refers to, and without the choice of null."""
    merged: dict[str, Any] = dict(part)
    for _ in range(_DEEPEST):
        if "$ref" in merged:
            found: Any = root
            for step in str(merged.pop("$ref")).removeprefix("#").strip("/").split("/"):
                found = found.get(step) if isinstance(found, Mapping) else None
            if not isinstance(found, Mapping):
                raise CallError("a $ref leads nowhere", f"schema, {_pointer(path)}", "fix it")
            merged = {**found, **merged}
            continue
        choices = merged.get("anyOf") or merged.get("oneOf")
        left = [one for one in choices or () if one.get("type") != "null"]
        if len(left) != 1:
            break
        merged = {**{k: v for k, v in merged.items() if k not in ("anyOf", "oneOf")}, **left[0]}
    if isinstance(merged.get("type"), list):
        kinds = [kind for kind in merged["type"] if kind != "null"]
        merged["type"] = kinds[0] if len(kinds) == 1 else None
    return merged


def _without_none(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {key: _without_none(inner) for key, inner in value.items() if inner is not None}
    if isinstance(value, list):
        return [_without_none(inner) for inner in value if inner is not None]
    return value
