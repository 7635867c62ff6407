"""Reading ``yonder.toml`` and explaining what is wrong with it."""

from __future__ import annotations

import difflib
import os
import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, get_args, get_type_hints

import msgspec

from ..core import SettingsError
from .profile import ModelProfile
from .secrets import named_in
from .section import Section
from .services import ServiceSettings
from .settings import Settings
from .sources import KINDS, FolderSettings, SourceSettings

SETTINGS_FILE = "yonder.toml"
STATE_FOLDER = ".yonder"
RESTORING = ".yonder-restoring"  # what a restore puts in place
COMPLETE = "complete"  # a file there: all of it is unpacked


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
    if (folder / RESTORING / COMPLETE).exists():
        raise SettingsError(
            "a restore was interrupted", str(folder), "finish it with: yonder restore"
        )
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
    raw = _toml(raw_text, path)
    for key, value in (overrides or {}).items():
        _override(raw, key, value)
    _check_secrets(raw, str(path), _MAY_NAME, need_set=False)
    place: list[str | int] = []
    kind: type[Section] = Settings
    try:
        sources, sections = raw.pop("source", None), raw.pop("service", {})
        settings = msgspec.convert(raw, Settings)
        services = {}
        for name, one in sections.items() if isinstance(sections, dict) else ():
            place, kind = ["service", name], ServiceSettings
            services[name] = msgspec.convert(one, ServiceSettings)
        opened = []
        for number, one in enumerate(_listed(sources)):
            place, kind = ["source", number], FolderSettings
            kind = _kind_of(one)
            opened.append(msgspec.convert(one, kind))
        place, kind = [], Settings
        return msgspec.structs.replace(
            settings, service=services, source=tuple(opened) if sources else settings.source
        )
    except (msgspec.ValidationError, ValueError) as error:
        raise _explain(error, path, raw_text, overrides or {}, place, kind) from None


def by_dotted_key(sections: Mapping[str, Any], above: str = "") -> dict[str, Any]:
    """The values of nested sections by dotted key, as overrides are written.

    Examples
    --------
    >>> by_dotted_key({"find": {"limit": 3, "weights": {"coverage": 0.1}}})
    {'find.limit': 3, 'find.weights.coverage': 0.1}
    """
    found: dict[str, Any] = {}
    for key, value in sections.items():
        if isinstance(value, Mapping):
            found |= by_dotted_key(value, f"{above}{key}.")
        else:
            found[above + key] = value
    return found


def with_overrides(settings: Settings, overrides: Mapping[str, Any]) -> Settings:
    """The same settings with other values for some keys; not for those of sources and services.

    Parameters
    ----------
    settings : Settings
    overrides : mapping
        By dotted key.

    Raises
    ------
    SettingsError
        A key is unknown, or a value of the wrong kind.

    Examples
    --------
    >>> with_overrides(Settings(), {"find.limit": 3}).find.limit
    3
    """
    raw = msgspec.to_builtins(settings)
    del raw["source"], raw["service"]
    for key, value in overrides.items():
        if key.partition(".")[0] in ("source", "service"):
            raise SettingsError(
                f"{key} cannot be changed here", key, "change it in yonder.toml, and gather"
            )
        _override(raw, key, value)
    try:
        changed = msgspec.convert(raw, Settings)
    except (msgspec.ValidationError, ValueError) as error:
        raise _explain(error, Path(SETTINGS_FILE), "", overrides, [], Settings) from None
    return msgspec.structs.replace(changed, source=settings.source, service=settings.service)


def model_profile(settings: Settings, folder: Path) -> ModelProfile:
    """The profile of the model that answers, from the settings or the file they name.

    Raises
    ------
    SettingsError
        The file is missing, or something in it is wrong.
    """
    model = settings.answer.model
    return load_profile(folder / model) if isinstance(model, str) else model


def load_profile(path: Path) -> ModelProfile:
    """Read and check the profile of a model server.

    Raises
    ------
    SettingsError
        It is missing, is not TOML, or holds a key or value that is wrong.
    """
    try:
        raw_text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not UTF-8"
        raise SettingsError(
            f"the model's profile cannot be read: {reason}",
            f"{path} (answer.model)",
            "write one as docs/howto/connect-a-model-server.md shows, or take answer.model out",
        ) from None
    raw = _toml(raw_text, path)
    _check_secrets(raw, str(path), _PROFILE_MAY_NAME, need_set=True)
    try:
        return msgspec.convert(raw, ModelProfile)
    except (msgspec.ValidationError, ValueError) as error:
        raise _explain(error, path, raw_text, {}, [], ModelProfile) from None


def _toml(text: str, path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        where = f"{path}, line {line[1]}" if line else str(path)
        raise SettingsError(f"not valid TOML: {error}", where, "fix that line") from None


def _listed(sources: Any) -> list[Any]:
    if sources is None:
        return []
    if not isinstance(sources, list):
        raise ValueError("source: write each source under a heading of its own: [[source]]")
    return sources


def _kind_of(raw: Any) -> type[SourceSettings]:
    """The kind of source that a section describes: that of the key which only it has."""
    if not isinstance(raw, Mapping):
        raise ValueError("write each source under a heading of its own: [[source]]")
    named = [key for key in KINDS if key in raw]
    if len(named) > 1:
        raise ValueError(
            f"{named[1]}: a source is one place; {named[0]!r} and {named[1]!r} are two kinds of it"
        )
    return KINDS[named[0]] if named else FolderSettings


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


# The settings that are sent, and so may name a secret. A part of None stands for any.
_MAY_NAME: tuple[tuple[str | None, ...], ...] = (
    *(("source", key) for key in ("site", "feed", "repository", "table", "options", "recordings")),
    *(("service", None, key) for key in ("address", "headers", "fields", "request")),
    ("serve", "webhook", None, "secret"),
    ("conversations", "address"),
    ("notes", "address"),
    *(("look_up", None, key) for key in ("address", "headers")),
    *(("answer", "model", key) for key in ("address", "headers", "extra", "request")),
)
_PROFILE_MAY_NAME = (("address",), ("headers",), ("extra",), ("request",))


def _check_secrets(
    raw: Any, where: str, may: Sequence[Sequence[str | None]], *, need_set: bool
) -> None:
    """Refuse a secret that stands where it would not be sent but shown.

    One that is not set is refused where all of it is needed now; else it stops what it is used
    for, and nothing beside. The template of a profile's request has `${…}` of its own.
    """
    for location, name in _named(raw, ()):
        if location[-1] == "request":
            continue
        allowed = any(
            len(location) >= len(place)
            and all(part in (None, step) for part, step in zip(place, location, strict=False))
            for place in may
        )
        if not allowed:
            raise SettingsError(
                f"{'.'.join(location)} cannot hold a secret: it is shown",
                where,
                "${…} may stand in the addresses, headers, fields and requests of services, and "
                "in the addresses of sources",
            )
        if need_set and name not in os.environ:
            raise SettingsError(
                f"the environment variable {name} is not set", where, f"export {name}=…"
            )


def _named(value: Any, location: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], str]]:
    """Where each secret is named, and its name."""
    if isinstance(value, str):
        for name in named_in(value):
            yield location, name
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _named(inner, (*location, key))
    elif isinstance(value, list):
        for inner in value:
            yield from _named(inner, location)


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
            raise SettingsError(
                f"{section!r} is not a section", key, "see docs/reference/settings.md"
            )
    place[last] = value


_AT = re.compile(r" - at `\$(.*)`$")
_STEP = re.compile(r"\.([^.\[]+)|\[(\d+)\]")
_EXPECTED = re.compile(
    r"Expected `([^`]+)`(?: ([<>]=? .*)| of length .*|, got `(\w+)`| matching .*)?$"
)
_KINDS = {
    "int": "a whole number",
    "float": "a number",
    "str": "text",
    "bool": "true or false",
    "array": "a list",
    "object": "a section",
}


def _explain(
    error: Exception,
    path: Path,
    raw_text: str,
    overrides: Mapping[str, Any],
    place: list[str | int],
    kind: type[Section],
) -> SettingsError:
    message = str(error)
    at = _AT.search(message)
    what = message[: at.start()] if at else message
    steps: list[str | int] = [
        name or int(number) for name, number in (_STEP.findall(at[1]) if at else [])
    ]
    location = [*place, *steps]
    field = re.search(r"(?:unknown|missing required) field `(.*)`", what)
    if field and what.startswith("Object contains unknown"):
        where = _location(path, raw_text, [*location, field[1]], overrides)
        return _unknown_key(field[1], location, where, _known_names(kind, steps))
    if field:
        dotted = _dotted([*location, field[1]])
        where = _where(path, raw_text, location)
        return SettingsError(f"{dotted} is missing", where, f"add {field[1]} = …")
    own_key = re.match(r"(\w+): (.*)", what)  # from a check of the section as a whole
    if own_key:
        location, what = [*location, own_key[1]], own_key[2]
    dotted = _dotted(location)
    where = _location(path, raw_text, location, overrides)
    expected = _EXPECTED.match(what)
    if expected:
        answer_kind, bound, got = expected.groups()
        limit = (bound or "").replace(">=", "at least").replace("<=", "at most")
        wanted = _KINDS.get(answer_kind, answer_kind)
        if limit:
            wanted += ", " + limit.replace(">", "more than")
        if "matching" in what:
            wanted = "letters, figures, dots and dashes"
        elif "length" in what:
            wanted = "at least one entry"
        what = f"{dotted} must be {wanted}{f', not {_KINDS.get(got, got)}' if got else ''}"
    elif dotted:
        what = f"{dotted}: {what}"
    return SettingsError(what, where, "change the value")


def _unknown_key(
    name: str, location: list[str | int], where: str, known: list[str]
) -> SettingsError:
    section = f"section [{_dotted(location)}]" if location else "the settings"
    close = difflib.get_close_matches(name, known, n=1, cutoff=0.5)
    remedy = f"did you mean {close[0]!r}?" if close else f"known here: {', '.join(known)}"
    return SettingsError(f"unknown key {name!r} in {section}", where, remedy)


def _dotted(location: list[str | int]) -> str:
    return ".".join(part for part in location if isinstance(part, str))


def _location(
    path: Path, raw_text: str, location: list[str | int], overrides: Mapping[str, Any]
) -> str:
    """Where a value stands: in the file, or among those given for this once."""
    dotted = _dotted(location)
    for key in overrides:
        if key == dotted or key.startswith(f"{dotted}.") or dotted.startswith(f"{key}."):
            return f"--set {key}={overrides[key]}"
    return _where(path, raw_text, location)


def _where(path: Path, raw_text: str, location: list[str | int]) -> str:
    line = _line_of(raw_text, location) if location else 0
    parts = [str(path), f"line {line}" if line else "", _dotted(location)]
    return ", ".join(part for part in parts if part)


def _known_names(kind: type[Section], steps: list[str | int]) -> list[str]:
    """The keys of the section that some steps from one of a kind lead to."""
    for step in steps:
        if isinstance(step, str):
            annotation = get_type_hints(kind)[step]
            inner = [*get_args(annotation), annotation]
            kind = next(one for one in inner if isinstance(one, type) and issubclass(one, Section))
    return list(kind.__struct_fields__)


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
            if section == ".".join(names[:2]) and not header_line:
                header_line = number
            if section == names[0]:
                seen += 1
                if seen == ordinal or not line.lstrip().startswith("[["):
                    header_line = header_line or number
        key = re.match(r"\s*([\w\-]+)\s*=", line)
        plain = section != names[0] and not any(isinstance(part, int) for part in location)
        if key and [*section.split("."), key[1]] == names and (seen == ordinal or plain):
            return number
        if key and not section and names[:1] == [key[1]]:
            return number
    return header_line
