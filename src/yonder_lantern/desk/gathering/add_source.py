"""Putting one more source into the settings file."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote, urlsplit

from ...core import CallError, SettingsError, SourceError
from ...ingest.sources import SUFFIXES as RECORDINGS
from ...ingest.sources import remote_refs
from ...platform.storage import replace_bytes
from ...settings import SETTINGS_FILE, Settings, load_settings, without_password

_REPOSITORY = re.compile(r"^(git|ssh)://|^[\w.-]+@[\w.-]+:|\.git/?$")
# The page of a folder or file of a branch, as hosts of repositories show it.
_IN_REPOSITORY = re.compile(
    r"(https?://[^/]+/[^/]+(?:/[^/]+)+?)(?:\.git)?"
    r"(?:/-)?/(tree|blob|raw|src/branch|src/tag|src/commit|src)/([^?#]+?)/?(?:[?#].*)?$"
)
_FEED = re.compile(
    r"(\.atom|\.rss|/feed/?|/rss/?|/atom/?|(feed|rss|atom)\.(xml|json))$", re.IGNORECASE
)
_DATABASE = re.compile(r"^(postgresql|postgres|sqlite)(\+\w+)?://")
_DEFAULT = '\n[[source]]\nname = "documents"\nfolder = "documents"\n'


def add_to_settings(
    folder: Path, settings: Settings, address: str, name: str, audience: Sequence[str]
) -> Added:
    """Write a ``[[source]]`` section for an address into ``yonder.toml``.

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
    if not (folder / "documents").is_dir():
        default = ""  # it would fail ever after
    added = "\n[[source]]\n" + "\n".join(lines) + "\n"
    replace_bytes(path, (text.rstrip("\n") + "\n" + default + added).encode("utf-8"))
    try:
        load_settings(folder)
    except SettingsError:
        replace_bytes(path, before)
        raise
    return Added(name, before, added.encode("utf-8"))


@dataclass(frozen=True, slots=True)
class Added:
    """A source that was written into the settings file.

    Attributes
    ----------
    name : str
    before, section : bytes
        The file as it was, and what was added to its end.
    """

    name: str
    before: bytes
    section: bytes


def take_back(folder: Path, added: Added) -> None:
    """Take a source out of the settings file; another that was added meanwhile stays."""
    path = folder / SETTINGS_FILE
    now = path.read_bytes()
    if now.endswith(added.section):
        replace_bytes(path, added.before)
    else:
        replace_bytes(path, now.replace(added.section, b"", 1))


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
    if in_repository:
        repository, view, rest = in_repository.groups()
        known = remote_refs(repository) or remote_refs(f"{repository}.git")
        if known or view == "tree":
            return _of_repository(repository, view, unquote(rest).split("/"), known)
    if _REPOSITORY.search(address):
        return [f"repository = {_quoted(address)}"]
    if urlsplit(address).scheme in ("http", "https"):
        return _of_the_web(address)
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


def _of_the_web(address: str) -> list[str]:
    """The lines for an address of the web."""
    if Path(urlsplit(address).path).suffix.lower() in RECORDINGS:
        return [f"recordings = {_quoted(address)}"]
    if _FEED.search(urlsplit(address).path):
        return [f"feed = {_quoted(address)}", 'refresh_after = "1h"']
    for one in (address, f"{address.rstrip('/')}.git"):
        if remote_refs(one):
            return [f"repository = {_quoted(one)}"]
    return [f"site = {_quoted(address)}", "depth = 0"]


def _of_repository(
    repository: str, view: str, parts: Sequence[str], known: Collection[str]
) -> list[str]:
    """The lines for a page of a repository's host: which branch, and what of it.

    A branch can have slashes in its name; the repository told which there are.
    """
    ref = next(
        (name for end in range(len(parts), 0, -1) if (name := "/".join(parts[:end])) in known),
        parts[0],
    )
    inner = "/".join(parts)[len(ref) :].strip("/")
    lines = [f"repository = {_quoted(repository)}", f"ref = {_quoted(ref)}"]
    if inner and view in ("blob", "raw"):
        lines.append(f"include = [{_quoted(re.sub(r'([*?])', '?', inner))}]")
    elif inner:
        lines.append(f"subfolder = {_quoted(inner)}")
    return lines


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
