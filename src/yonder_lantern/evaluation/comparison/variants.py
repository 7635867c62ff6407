"""What is compared: a list of settings in a file, or a grid of values."""

from __future__ import annotations

import itertools
import json
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ...core import CallError
from ...settings import by_dotted_key

AS_IT_IS = "current settings"


@dataclass(frozen=True, slots=True)
class Variant:
    """Settings to be tried, by dotted key, under a name.

    Examples
    --------
    >>> Variant.of({"passages.tokens": 300, "find.fusion": "ranks"}).name
    'tokens=300, fusion=ranks'
    """

    name: str
    settings: Mapping[str, Any] = field(default_factory=dict)

    @classmethod
    def of(cls, settings: Mapping[str, Any], name: str = "") -> Variant:
        """A variant, named after what it sets if it has no name."""
        last = [key.rpartition(".")[2] for key in settings]
        parts = [
            f"{short if last.count(short) == 1 else key}={_shown(value)}"
            for short, (key, value) in zip(last, settings.items(), strict=True)
        ]
        return cls(name or ", ".join(parts) or AS_IT_IS, settings)


def grid_of(arguments: Sequence[str]) -> list[Variant]:
    """Every combination of some values, as ``KEY=VALUE,VALUE``.

    Parameters
    ----------
    arguments : sequence of str

    Raises
    ------
    CallError
        One is not of that form.

    Examples
    --------
    >>> [one.name for one in grid_of(["passages.tokens=120,300", "find.fusion=ranks"])]
    ['tokens=120, fusion=ranks', 'tokens=300, fusion=ranks']
    """
    keys: dict[str, list[Any]] = {}
    for argument in arguments:
        key, equals, values = argument.partition("=")
        if not equals or not key.strip() or not values.strip():
            raise CallError(
                f"not a setting and its values: {argument!r}",
                "compare",
                "write KEY=VALUE,VALUE, e.g. passages.tokens=120,180,300",
            )
        keys[key.strip()] = [_value(one) for one in _split(values)]
    return _combined(keys)


def load_variants(path: Path) -> list[Variant]:
    """The variants of a TOML file: ``[[variant]]`` tables, a ``[grid]``, or both.

    Raises
    ------
    CallError
        The file cannot be read, is not TOML, or holds something else.
    """
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise CallError(
            f"the variants cannot be read: {error.strerror}", str(path), "name a TOML file"
        ) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise CallError(f"not valid TOML: {error}", str(path), "fix that line") from None
    unknown = raw.keys() - {"variant", "grid"}
    listed, grid = raw.get("variant", []), raw.get("grid", {})
    if unknown or not isinstance(listed, list) or not isinstance(grid, dict):
        raise CallError(
            f"not variants: {', '.join(sorted(unknown)) or 'variant, grid'}",
            str(path),
            "write [[variant]] tables with a name and settings, or a [grid] of lists",
        )
    found = []
    for one in listed:
        settings = by_dotted_key(one)
        name = str(settings.pop("name", ""))
        found.append(Variant.of(settings, name))
    values = by_dotted_key(grid)
    for key, value in values.items():
        if not isinstance(value, list):
            raise CallError(f"{key} is no list", f"{path}, [grid]", "write the values in brackets")
    return found + (_combined(values) if values else [])


def with_baseline(variants: Sequence[Variant]) -> list[Variant]:
    """The variants behind the settings as they are.

    Raises
    ------
    CallError
        None is given, or two have one name.
    """
    if not variants:
        raise CallError(
            "there is nothing to compare",
            "compare",
            "name settings and their values: yonder compare passages.tokens=120,300",
        )
    found = [one for one in variants if one.settings]
    whole = [Variant(AS_IT_IS), *found]
    names = [one.name for one in whole]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise CallError(f"two variants are called {twice[0]!r}", "compare", "rename one of them")
    return whole


def _combined(keys: Mapping[str, Sequence[Any]]) -> list[Variant]:
    return [
        Variant.of(dict(zip(keys, values, strict=True)))
        for values in itertools.product(*keys.values())
    ]


def _split(values: str) -> list[str]:
    """The values between commas that are in no brackets or quotation marks."""
    parts, depth, quote = [""], 0, ""
    for character in values:
        if quote:
            quote = "" if character == quote else quote
        elif character in "\"'":
            quote = character
        elif character in "[{":
            depth += 1
        elif character in "]}":
            depth -= 1
        elif character == "," and not depth:
            parts.append("")
            continue
        parts[-1] += character
    return [one.strip() for one in parts]


def _value(text: str) -> Any:
    try:
        return tomllib.loads(f"v = {text}")["v"]
    except tomllib.TOMLDecodeError:
        return text


def _shown(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
