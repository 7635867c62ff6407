"""Reading ``yonder.toml`` and explaining what is wrong with it."""

from __future__ import annotations

import difflib
import os
import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from ..records import SettingsError
from .models import Settings

SETTINGS_FILE = "yonder.toml"
_SECRET = re.compile(r"\$\{([A-Za-z_][A-Za-z0-9_]*)\}")


def load_settings(folder: Path, overrides: Mapping[str, Any] | None = None) -> Settings:
    """Read and check a desk folder's settings.

    Parameters
    ----------
    folder : Path
        The folder that holds ``yonder.toml``.
    overrides : mapping, optional
        Dotted keys and values that take the place of the file's.

    Raises
    ------
    SettingsError
        The file is missing, is not TOML, names an unknown key or holds a value
        of the wrong kind; or an override does.
    """
    path = folder / SETTINGS_FILE
    try:
        raw_text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise SettingsError(
            f"there is no {SETTINGS_FILE} in {folder}",
            str(path),
            "name the desk's folder with --desk DIR, or start one with: yonder new DIR",
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        raise SettingsError(
            f"{SETTINGS_FILE} cannot be read: {error}", str(path), "it must be readable UTF-8"
        ) from error
    try:
        raw = tomllib.loads(raw_text)
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        where = f"{path}, line {line[1]}" if line else str(path)
        raise SettingsError(f"not valid TOML: {error}", where, "mend that line") from None
    raw = _fill_secrets(raw, str(path))
    for key, value in (overrides or {}).items():
        _override(raw, key, value)
    try:
        return Settings.model_validate(raw)
    except ValidationError as error:
        raise _explain(error, path, raw_text, overrides or {}) from None


def parse_override(text: str) -> tuple[str, Any]:
    """A ``--set`` value, ``find.limit=5``, as a key and a TOML value.

    Examples
    --------
    >>> parse_override("find.limit=5"), parse_override("desk.name=Harbour desk")
    (('find.limit', 5), ('desk.name', 'Harbour desk'))
    """
    key, equals, value = text.partition("=")
    if not equals or not key.strip():
        raise SettingsError(
            f"not a setting: {text!r}", "--set", "write it as section.key=value, e.g. find.limit=5"
        )
    try:
        return key.strip(), tomllib.loads(f"v = {value}")["v"]
    except tomllib.TOMLDecodeError:
        return key.strip(), value.strip()


def _fill_secrets(value: Any, where: str) -> Any:
    if isinstance(value, dict):
        return {key: _fill_secrets(inner, where) for key, inner in value.items()}
    if isinstance(value, list):
        return [_fill_secrets(inner, where) for inner in value]
    if not isinstance(value, str):
        return value

    def from_environment(match: re.Match[str]) -> str:
        if match[1] not in os.environ:
            raise SettingsError(
                f"the environment variable {match[1]} is not set", where, f"export {match[1]}=…"
            )
        return os.environ[match[1]]

    return _SECRET.sub(from_environment, value)


def _override(raw: dict[str, Any], key: str, value: Any) -> None:
    *sections, last = key.split(".")
    if sections[:1] == ["source"] or not sections:
        raise SettingsError(
            f"cannot override {key!r}", "--set", "overrides are of the form section.key=value"
        )
    place = raw
    for section in sections:
        place = place.setdefault(section, {})
        if not isinstance(place, dict):
            raise SettingsError(f"{section!r} is not a section", key, "see docs/settings.md")
    place[last] = value


def _explain(
    error: ValidationError, path: Path, raw_text: str, overrides: Mapping[str, Any]
) -> SettingsError:
    problem = error.errors()[0]
    location = [part for part in problem["loc"] if isinstance(part, str | int)]
    names = [str(part) for part in location if isinstance(part, str)]
    dotted = ".".join(names)
    line = _line_of(raw_text, location)
    where = f"{path}, line {line}, {dotted}" if line else f"{path}, {dotted}"
    if dotted in overrides:
        where = f"--set {dotted}={overrides[dotted]}"
    if problem["type"] == "extra_forbidden":
        known = _known_names(location[:-1])
        section = f"section [{'.'.join(names[:-1])}]" if names[:-1] else "the settings"
        close = difflib.get_close_matches(names[-1], known, n=1, cutoff=0.5)
        remedy = f"did you mean {close[0]!r}?" if close else f"known here: {', '.join(known)}"
        return SettingsError(f"unknown key {names[-1]!r} in {section}", where, remedy)
    if problem["type"] == "missing":
        return SettingsError(f"{dotted} is missing", where, f"add {names[-1]} = …")
    what = problem["msg"].removeprefix("Value error, ")
    given = problem.get("input")
    shown = f", not {given!r}" if isinstance(given, str | int | float | bool) else ""
    return SettingsError(f"{dotted}: {what[0].lower()}{what[1:]}{shown}", where, "change the value")


def _known_names(location: list[str | int]) -> list[str]:
    model: type[BaseModel] = Settings
    for part in location:
        if isinstance(part, int):
            continue
        annotation = model.model_fields[part].annotation
        inner = [*get_args(annotation), annotation]
        model = next(
            kind for kind in inner if isinstance(kind, type) and issubclass(kind, BaseModel)
        )
    return list(model.model_fields)


def _line_of(raw_text: str, location: list[str | int]) -> int:
    """The line a key stands on, by walking the section headings; 0 when not found."""
    names = [part for part in location if isinstance(part, str)]
    ordinal = next((part for part in location if isinstance(part, int)), 0)
    section, seen = "", -1
    header_line = 0
    for number, line in enumerate(raw_text.splitlines(), 1):
        heading = re.match(r"\s*\[\[?\s*([\w.\-]+)\s*\]\]?", line)
        if heading:
            section = heading[1]
            if section == names[0]:
                seen += 1
                if seen == ordinal or not line.lstrip().startswith("[["):
                    header_line = header_line or number
        key = re.match(r"\s*([\w\-]+)\s*=", line)
        if key and [*section.split("."), key[1]] == names and seen == ordinal:
            return number
        if key and not section and names[:1] == [key[1]]:
            return number
    return header_line
