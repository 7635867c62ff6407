"""Putting one more source into the settings file."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from pathlib import Path
from urllib.parse import unquote, urlsplit

from ...core import CallError, SettingsError, SourceError
from ...ingest.sources import SUFFIXES as RECORDINGS
from ...platform.storage import replace_bytes
from ...settings import SETTINGS_FILE, Settings, load_settings, without_password

_REPOSITORY = re.compile(r"^(git|ssh)://|^[\w.-]+@[\w.-]+:|\.git/?$")
_IN_REPOSITORY = re.compile(r"(https?://[^/]+/.+?)(?:/-)?/tree/([^/]+)(?:/(.+))?$")
_FEED = re.compile(
    r"(\.atom|\.rss|/feed/?|/rss/?|/atom/?|(feed|rss|atom)\.(xml|json))$", re.IGNORECASE
)
_DATABASE = re.compile(r"^(postgresql|postgres|sqlite)(\+\w+)?://")
_DEFAULT = '\n[[source]]\nname = "documents"\nfolder = "documents"\n'


def add_to_settings(
    folder: Path, settings: Settings, address: str, name: str, audience: Sequence[str]
) -> str:
    """Write a ``[[source]]`` section for an address into ``yonder.toml``; the source's name.

    The address is a folder, a file, a recording, a repository, a feed, or a page
    of a site. Nothing is written when the settings would not be valid with it.

    Raises
    ------
    CallError
        The address is none of these, or a source of that name or place is there.
    """
    lines = _section(folder, address)
    name = name or _free_name(address, {source.name for source in settings.source})
    if any(source.name == name for source in settings.source):
        raise CallError(
            f"there is a source {name!r} already", "--name", "choose another name for this one"
        )
    lines = [f"name = {_quoted(name)}", *lines]
    if tuple(audience) != ("public",) and audience:
        lines.append(f"audience = [{', '.join(map(_quoted, audience))}]")
    path = folder / SETTINGS_FILE
    before = path.read_bytes()
    text = before.decode("utf-8-sig")
    # A file without any source means the folder "documents": once another is named, it must be.
    default = "" if "source" in tomllib.loads(text) else _DEFAULT
    added = "\n[[source]]\n" + "\n".join(lines) + "\n"
    replace_bytes(path, (text.rstrip("\n") + "\n" + default + added).encode("utf-8"))
    try:
        load_settings(folder)
    except SettingsError:
        replace_bytes(path, before)
        raise
    return name


def take_back(folder: Path, before: bytes) -> None:
    """Put the settings file back as it was."""
    replace_bytes(folder / SETTINGS_FILE, before)


def _section(folder: Path, address: str) -> list[str]:
    """The lines that describe an address."""
    if without_password(address) != address:
        raise CallError(
            "the address holds a password, which does not belong in the settings file",
            without_password(address),
            "write the source there yourself with ${NAME} for the password, and set NAME in the "
            "environment",
        )
    if _DATABASE.match(address):
        raise CallError(
            "a database needs a query and a key column", address, "see docs/howto/gather.md, Tables"
        )
    in_repository = _IN_REPOSITORY.match(address)
    if in_repository:  # the page of a folder of a branch, as repositories' hosts show it
        repository, branch, inner = in_repository.groups()
        lines = [f"repository = {_quoted(repository)}", f"branch = {_quoted(unquote(branch))}"]
        if inner:
            lines.append(f"include = [{_quoted(unquote(inner).rstrip('/') + '/**')}]")
        return lines
    if _REPOSITORY.search(address):
        return [f"repository = {_quoted(address)}"]
    if urlsplit(address).scheme in ("http", "https"):
        if Path(urlsplit(address).path).suffix.lower() in RECORDINGS:
            return [f"recordings = {_quoted(address)}"]
        if _FEED.search(urlsplit(address).path):
            return [f"feed = {_quoted(address)}", 'refresh_after = "1h"']
        return [f"site = {_quoted(address)}", "depth = 0"]
    path = Path(address)
    if not path.exists():
        raise CallError(
            f"there is no {address!r} on this machine", "--add", "give a path or an address"
        )
    shown = _shown(path, folder)
    if (path / ".git").exists() or (path / "HEAD").is_file():
        return [f"repository = {_quoted(shown)}"]
    if path.is_dir():
        return [f"folder = {_quoted(shown)}"]
    kind = "recordings" if path.suffix.lower() in RECORDINGS else "folder"
    parent = _shown(path.parent, folder)
    escaped = re.sub(r"([*?])", "?", path.name)
    return [f"{kind} = {_quoted(parent)}", f"include = [{_quoted(escaped)}]"]


def _shown(path: Path, folder: Path) -> str:
    """A path as the settings say it: below the desk's folder, or absolute."""
    whole = path.resolve()
    try:
        return whole.relative_to(folder.resolve()).as_posix()
    except ValueError:
        return whole.as_posix()


def _free_name(address: str, taken: set[str]) -> str:
    parts = urlsplit(address)
    last = [part for part in re.split(r"[/\\:]", parts.path) if part]
    base = last[-1] if last else parts.netloc
    base = re.sub(r"\.\w{1,5}$", "", base) or base
    base = re.sub(r"[^A-Za-z0-9_.-]+", "-", base).strip("-._") or "source"
    name, number = base, 2
    while name in taken:
        name, number = f"{base}-{number}", number + 1
    return name


def _quoted(text: str) -> str:
    if any(ord(character) < 32 for character in text):
        raise SourceError("the address holds control characters", text, "fix it")
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'
