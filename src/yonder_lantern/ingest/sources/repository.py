"""A git repository as a source."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from ...core import Item, SourceError, Stamp
from ...platform.storage import private_folder, write_bytes
from ...settings import RepositorySettings, without_password
from .folder import Patterns
from .git import Git, Remote
from .source import SourceContext
from .tree_outline import tree_outline

_NOW = "refs/yonder-lantern/now"
_DAMAGE = re.compile(
    r"corrupt|bad (?:object|tree|config)|unable to (?:read|unpack)|not a git repository"
    r"|bad signature|missing (?:blob|tree|commit)|invalid object|loose object|inflate"
    r"|index file smaller|did not send all necessary|not our ref"
    r"|could not parse|bad index file|unknown index",
    re.IGNORECASE,
)
_COMMIT = re.compile(r"[0-9a-f]{7,64}")
_FILES = ("100644", "100755")
OUTLINE_KEY = "(outline).md"


class RepositorySource:
    """The files of a repository at a branch, tag or commit.

    A shallow copy is kept in the source's own folder and updated; where the place
    allows it, only the files that are wanted are fetched at all. A file's mark is
    its blob: what a commit leaves alone is not read again.

    References
    ----------
    Git documentation: git-fetch, git-sparse-checkout, partial clone.
    """

    def __init__(self, settings: RepositorySettings, context: SourceContext) -> None:
        self._settings = settings
        self._context = context
        self._copy = context.state / "copy"
        shown = without_password(settings.repository)
        self._where = f"[[source]] {settings.name!r}, repository = {shown!r}"
        self._shown = without_password(self.address)
        remote = Remote(self._shown, self.address, settings.private_hosts)
        self._git = Git(self._copy, self._where, settings.max_seconds, context.cancel, remote)
        self._wanted = Patterns(settings.include, settings.exclude)
        self._subfolder = settings.subfolder.strip("/")

    @property
    def address(self) -> str:
        """The repository's address, as git takes it."""
        repository = self._settings.repository
        local = self._context.desk / repository
        if "://" not in repository and local.exists():
            return local.resolve().as_uri()
        return repository

    def check(self) -> None:
        """Raise a `SourceError` when the address cannot be one."""
        repository = self._settings.repository
        odd = repository.startswith("-") or re.match(r"\w+::", repository)  # git runs the latter
        if odd or self._settings.ref.startswith("-"):
            raise SourceError("this is an option, not an address", self._where, "fix it")
        if (
            "://" not in repository
            and ":" not in repository
            and not (self._context.desk / repository).exists()
        ):
            raise SourceError("the repository does not exist", self._where, "fix the path")

    def items(self) -> Iterator[Item]:
        """The files, ordered by path, and an outline of the whole."""
        try:
            yield from self._files()
        except SourceError as error:
            if not _DAMAGE.search(error.what) or not self._copy.exists():
                raise
            shutil.rmtree(self._copy)  # it is a copy: it is fetched anew
            yield from self._files()

    def _files(self) -> Iterator[Item]:
        self._git.begin()
        commit, date = self._update()
        listing = os.fsdecode(self._git.run("ls-tree", "-r", "-z", commit))
        entries = []
        for line in filter(None, listing.split("\0")):
            about, _, path = line.partition("\t")
            mode, _, blob = about.split(" ")
            if mode in _FILES and self._is_wanted(path):
                entries.append((path, blob))
        if self._subfolder and f"\t{self._subfolder}/" not in listing:
            raise SourceError(
                f"there is no folder {self._subfolder!r} in it", self._where, "fix `subfolder`"
            )
        self._check_out(commit, [path for path, _ in entries])
        metadata = {"commit": commit, "date": date}
        audience = frozenset(self._settings.audience)
        paths = []
        for path, blob in sorted(entries):
            key = path.removeprefix(f"{self._subfolder}/") if self._subfolder else path
            file = self._copy / path
            paths.append((key, file))
            try:
                size = file.stat().st_size
            except OSError:
                continue
            yield Item(
                self._settings.name,
                key,
                partial(Path.read_bytes, file),
                Stamp(size, 0, blob),
                audience,
                {**metadata, "path": path},
            )
        if self._settings.outline and paths:
            text = tree_outline(self._settings.name, paths).encode("utf-8", "backslashreplace")
            mark = hashlib.sha256(text).hexdigest()
            yield Item(
                self._settings.name,
                OUTLINE_KEY,
                partial(bytes, text),
                Stamp(len(text), 0, mark),
                audience,
                metadata,
            )

    def _is_wanted(self, path: str) -> bool:
        if self._subfolder:
            if not path.startswith(f"{self._subfolder}/"):
                return False
            path = path[len(self._subfolder) + 1 :]
        return not any(part.startswith(".") for part in path.split("/")) and self._wanted(path)

    def _update(self) -> tuple[str, str]:
        """Fetch what is wanted now; its commit and date."""
        if not (self._copy / ".git").exists():
            private_folder(self._copy)
            self._git.run("init", "--quiet")
        for left in (self._copy / ".git").rglob("*.lock"):  # of a git that was killed
            left.unlink(missing_ok=True)
        self._git.tried(["remote", "remove", "origin"])
        self._git.run("remote", "add", "origin", "--", self._shown)
        self._git.run("config", "remote.origin.promisor", "true")
        self._git.run("config", "remote.origin.partialclonefilter", "blob:none")
        wanted = self._settings.ref or "HEAD"
        quiet = ("fetch", "--quiet", "--no-write-fetch-head", "--filter=blob:none")
        fetch = (*quiet, "--no-tags", "--depth=1", "origin", f"+{wanted}:{_NOW}")
        status, _, err = self._git.tried(fetch)
        if not status:
            found = self._git.run("rev-parse", f"{_NOW}^{{commit}}")
        elif not _COMMIT.fullmatch(wanted):
            if b"couldn't find remote ref" in err and self._settings.ref:
                raise SourceError(
                    f"it has no branch, tag or commit {wanted!r}", self._where, "fix `ref`"
                )
            self._git.run(*fetch, remedy="does it exist, and may this user read it?")
            found = b""
        else:  # a commit that is abbreviated, or not given out alone: look in everything
            everything = ("--tags", "--depth=2147483647", "origin", "+refs/*:refs/all/*")
            self._git.run(*quiet, *everything)
            commit = f"{wanted}^{{commit}}"
            found = self._git.run("rev-parse", "--verify", commit, remedy="fix `ref`")
        commit = found.decode().strip()
        date = self._git.run("show", "--no-patch", "--format=%cI", commit).decode().strip()
        return commit, date

    def _check_out(self, commit: str, paths: list[str]) -> None:
        """Put the wanted files, and no others, into the copy's folder."""
        self._git.run("config", "core.sparseCheckout", "true")
        patterns = "\n".join("/" + _escaped(path) for path in paths) + "\n"
        info = self._copy / ".git" / "info"
        private_folder(info)
        write_bytes(info / "sparse-checkout", os.fsencode(patterns))
        self._git.run("checkout", "--quiet", "--force", "--detach", commit)
        self._git.run("read-tree", "-mu", commit)


def _escaped(path: str) -> str:
    return "".join(f"\\{one}" if one in "\\*?[]!# " else one for one in path)
