"""A folder of files as a source."""

from __future__ import annotations

import difflib
import os
import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

from ...core import Item, SourceError, Stamp
from ...settings import STATE_FOLDER, FolderSettings
from .source import SourceContext, unheard

# Kept out whatever the patterns say: these hold secrets far more often than facts, or say how a
# desk works.
_SECRETS = re.compile(
    r"(^|/)(id_(rsa|dsa|ecdsa|ed25519)|.*\.(pem|key|p12|pfx|kdbx|keystore)|yonder\.toml)$", re.I
)


class FolderSource:
    """The files below a folder that its patterns let through.

    Hidden files and folders, files that usually hold secrets (keys,
    certificates), and symbolic links that lead out of the folder are left out.

    Parameters
    ----------
    name : str
        The source's name, the first part of its documents' ids.
    folder : Path
    include, exclude : sequence of str
        Glob patterns on the path below the folder, with ``/`` between parts;
        ``*`` stays within a part, ``**`` crosses parts.
    audience : frozenset of str
        The labels its documents carry.
    notice : callable, optional
        Told which folders are left out.
    """

    def __init__(
        self,
        name: str,
        folder: Path,
        *,
        include: Sequence[str] = ("**/*",),
        exclude: Sequence[str] = (),
        audience: frozenset[str] = frozenset({"public"}),
        notice: Callable[[str], None] = unheard,
    ) -> None:
        self._notice = notice
        self.name = name
        self.folder = folder
        self.audience = audience
        self._wanted = Patterns(include, exclude)

    @classmethod
    def open(cls, settings: FolderSettings, context: SourceContext) -> FolderSource:
        """The source of a ``[[source]]`` section with a ``folder``."""
        return cls(
            settings.name,
            context.desk / settings.folder,
            include=settings.include,
            exclude=settings.exclude,
            audience=frozenset(settings.audience),
            notice=context.notice,
        )

    def check(self) -> None:
        """Raise a `SourceError` when the folder is not there or cannot be listed."""
        where = f"[[source]] {self.name!r}, folder = {str(self.folder)!r}"
        if not self.folder.exists():
            near = _nearest_folder(self.folder)
            remedy = f"did you mean {near}? Else make it" if near else "make it, or fix `folder`"
            raise SourceError("the folder does not exist", where, remedy)
        if STATE_FOLDER in self.folder.resolve().parts:
            raise SourceError("a desk's own state is no source", where, "name another folder")
        if not self.folder.is_dir():
            raise SourceError("this is a file, not a folder", where, "name the folder it is in")
        if not os.access(self.folder, os.R_OK | os.X_OK):
            raise SourceError(
                "the folder may not be read", where, "give this user permission to read it"
            )

    def items(self) -> Iterator[Item]:
        """The files, ordered by key; a folder that may not be listed is an item ending in ``/``."""
        root = self.folder.resolve()
        for path, refusal in _walked(root, self._linked):
            key = path.relative_to(root).as_posix()
            if refusal is not None:  # one that cannot be listed: its documents are not gone
                stamp = Stamp(0, 0)
                refused = partial(_refuse, refusal)
                yield Item(self.name, f"{key}/", refused, stamp, self.audience, unlisted=True)
                continue
            if not self._wanted(key):
                continue
            try:
                status = path.stat()
            except OSError:  # gone or a dangling link: nothing to gather
                continue
            stamp = Stamp(status.st_size, status.st_mtime_ns)
            yield Item(self.name, key, partial(Path.read_bytes, path), stamp, self.audience)

    def _linked(self, path: Path) -> None:
        """Tell of a link to a folder: it could lead anywhere, and in a circle."""
        self._notice(
            f"{self.name}: {path.name} is a link to the folder {path.resolve()}, which is not "
            "followed; add that as a source of its own"
        )


def _walked(root: Path, linked: Callable[[Path], None]) -> Iterator[tuple[Path, OSError | None]]:
    """The files below a folder in order, and the folders that cannot be listed, with the reason."""
    waiting: list[tuple[Path, bool]] = [(root, True)]
    while waiting:
        path, is_folder = waiting.pop()
        if not is_folder:
            yield path, None
            continue
        try:
            with os.scandir(path) as entries:
                ordered = sorted(entries, key=lambda entry: entry.name, reverse=True)
            shown = [entry for entry in ordered if not entry.name.startswith(".")]
            found = [_wanted(entry, root) for entry in shown]
            for entry in shown:
                if entry.is_symlink() and entry.is_dir():
                    linked(Path(entry.path))
        except OSError as error:  # also of a path that is longer than the system takes
            if path == root:
                raise
            yield path, error
            continue
        waiting += [one for one in found if one is not None]


def _wanted(entry: os.DirEntry[str], root: Path) -> tuple[Path, bool] | None:
    """An entry of a folder and whether it is one; None if it leads out, or is no file."""
    path = Path(entry.path)
    if entry.is_symlink() and not _stays_inside(path, root):
        return None
    if entry.is_dir(follow_symlinks=False):
        return path, True
    return (path, False) if entry.is_file() else None


def _nearest_folder(missing: Path) -> str:
    """The folder beside a missing one whose name is most like it, empty if none is."""
    try:
        beside = [entry.name for entry in os.scandir(missing.parent) if entry.is_dir()]
    except OSError:
        return ""
    close = difflib.get_close_matches(missing.name, beside, n=1)
    return str(missing.with_name(close[0])) if close else ""


def _refuse(error: OSError) -> bytes:
    raise error


def _stays_inside(link: Path, root: Path) -> bool:
    try:
        return link.resolve(strict=True).is_relative_to(root)
    except (OSError, RuntimeError):
        return False


class Patterns:
    """Which paths a source takes: those included, less those excluded, never secrets.

    Examples
    --------
    >>> wanted = Patterns(["docs/**"], ["**/*.tmp"])
    >>> [wanted(path) for path in ("docs/a.md", "docs/a.tmp", "docs/id_rsa", "a.md")]
    [True, False, False, False]
    """

    def __init__(self, include: Sequence[str], exclude: Sequence[str]) -> None:
        self._include = [glob_pattern(pattern) for pattern in include]
        self._exclude = [glob_pattern(pattern) for pattern in exclude]

    def __call__(self, path: str) -> bool:
        return (
            any(pattern.fullmatch(path) for pattern in self._include)
            and not any(pattern.fullmatch(path) for pattern in self._exclude)
            and not _SECRETS.search(path)
        )


def glob_pattern(pattern: str) -> re.Pattern[str]:
    """A glob pattern as a regular expression over paths with ``/``.

    Examples
    --------
    >>> [bool(glob_pattern(p).fullmatch("a/b.md")) for p in ("**/*.md", "*.md", "a/*")]
    [True, False, True]
    """
    out = ""
    at = 0
    while at < len(pattern):
        if pattern.startswith("**/", at):
            out += "(?:[^/]+/)*"
            at += 3
        elif pattern.startswith("**", at):
            out += ".*"
            at += 2
        elif pattern[at] == "*":
            out += "[^/]*"
            at += 1
        elif pattern[at] == "?":
            out += "[^/]"
            at += 1
        else:
            out += re.escape(pattern[at])
            at += 1
    return re.compile(out)
