"""Running git, quietly and without giving a repository any power over this machine."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from ...core import (
    Cancel,
    CancelledError,
    MissingExtraError,
    NeverCancel,
    ServiceError,
    SourceError,
    YonderError,
)
from ...platform.http import allowed_address
from ...platform.storage import die_with_parent
from ...settings import Hider, revealed

_SAFE = (
    "-c", "core.hooksPath=/dev/null",
    "-c", "core.fsmonitor=false",
    "-c", "core.symlinks=false",
    "-c", "protocol.allow=never",
    *(part for one in ("https", "http", "git", "ssh", "file")
      for part in ("-c", f"protocol.{one}.allow=always")),
    "-c", "http.followRedirects=false",  # none leads past the guard
    "-c", "http.lowSpeedLimit=200", "-c", "http.lowSpeedTime=60",
    "-c", "transfer.bundleURI=false",
    "-c", "advice.detachedHead=false",
    "-c", "gc.auto=0",
    "-c", "core.logAllRefUpdates=false",
)  # fmt: skip
_TO_END = 5.0  # seconds


@dataclass(frozen=True, slots=True)
class Remote:
    """Where a repository is.

    Attributes
    ----------
    shown : str
        The address as it is shown and kept.
    address : str
        As it is used: a password in it is never written down, nor seen among the arguments of a
        process.
    private_hosts : sequence of str
        Hosts that may be asked though they are private.
    """

    shown: str
    address: str
    private_hosts: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class Place:
    """A remote whose machine was looked up: the address, and options that git connects there by."""

    address: str
    options: Sequence[str] = ()


def resolved(remote: Remote) -> Place:
    """Look up the machine of a remote once, check it, and make git connect to no other.

    SSH is told the name all the same: it knows machines by their keys.

    Raises
    ------
    ServiceError
        It is private and not allowed by name, or there is no such machine.
    """
    address = revealed(remote.address)
    scheme, host, port = _machine(address)
    if not host:  # a folder of this machine
        return Place(address)
    number = allowed_address(host, port, remote.private_hosts)
    bracketed = f"[{number}]" if ":" in number else number
    if scheme in ("http", "https"):
        return Place(address, ("-c", f"http.curloptResolve={host}:{port}:{bracketed}"))
    if scheme == "git":
        parts = urlsplit(address)
        return Place(f"git://{bracketed}:{port}{parts.path}")
    return Place(address)


_PORTS = {"http": 80, "https": 443, "git": 9418, "ssh": 22}
_OF_SSH = re.compile(r"(?:[\w.-]+@)?(\[[0-9A-Fa-f:.]+\]|[^/:\[\]]+):(?!//)")


def _machine(address: str) -> tuple[str, str, int]:
    """The scheme, host and port of an address; the host is empty for a path."""
    if "://" in address:
        parts = urlsplit(address)
        scheme = parts.scheme.removeprefix("git+").removesuffix("+git")
        try:
            port = parts.port
        except ValueError:
            raise ServiceError("the port is no number", remedy="fix the address") from None
        if scheme == "file":
            return scheme, "", 0
        return scheme, parts.hostname or "", port or _PORTS.get(scheme, 22)
    found = _OF_SSH.match(address)
    return ("ssh", found[1].strip("[]"), 22) if found else ("file", "", 0)


class Git:
    """The git command in one repository.

    Credentials are only those that git itself is set up with; it asks nobody.

    Parameters
    ----------
    folder : Path
        The repository's own folder.
    where : str
        What to say an error is about.
    seconds : float
        How long all commands may take from `begin` on.
    cancel : Cancel
        Looked at while a command runs.
    remote : Remote
    """

    def __init__(
        self, folder: Path, where: str, seconds: float, cancel: Cancel, remote: Remote
    ) -> None:
        self._folder = folder
        self._where = where
        self._seconds = seconds
        self._cancel = cancel
        self._remote = remote
        self._hide = Hider([remote.address])
        self._deadline = time.monotonic() + seconds
        self._place = Place(remote.shown)  # until it is looked up

    def begin(self) -> None:
        """Find out where the remote is, and let the time that commands may take begin.

        Raises
        ------
        SourceError
            It is on a private network, and not allowed by name; or there is no such machine.
        """
        self._deadline = time.monotonic() + self._seconds
        try:
            self._place = resolved(self._remote)
        except ServiceError as error:
            raise SourceError(error.what, self._where, error.remedy) from None

    def run(self, *arguments: str, remedy: str = "see that git itself can do this") -> bytes:
        """What a command prints.

        Raises
        ------
        SourceError
            It failed, or took too long.
        MissingExtraError
            There is no git.
        """
        status, out, err = self.tried(arguments)
        if status:
            lines = err.decode("utf-8", "replace").strip().splitlines()
            said = next((one for one in lines if one.startswith("fatal:")), "".join(lines[-1:]))
            what = f"git {arguments[0]} failed: {self._hide.text(said.removeprefix('fatal: '))}"
            raise SourceError(what, self._where, remedy)
        return out

    def tried(self, arguments: Sequence[str]) -> tuple[int, bytes, bytes]:
        """The exit status of a command and what it prints."""
        environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("GIT_")},
            **{k: v for k, v in os.environ.items() if k in _OWN_MEANS},
            "GIT_TERMINAL_PROMPT": "0",
            "GIT_OPTIONAL_LOCKS": "0",
            "GIT_LFS_SKIP_SMUDGE": "1",  # large files come from wherever the repository says
            "LC_ALL": "C",
        }
        shown, used = self._remote.shown, self._place.address
        if shown != used:
            environment |= {
                "GIT_CONFIG_COUNT": "1",
                "GIT_CONFIG_KEY_0": f"url.{used}.insteadOf",
                "GIT_CONFIG_VALUE_0": shown,
            }
        try:
            process = subprocess.Popen(
                ["git", *_SAFE, *self._place.options, "-C", str(self._folder), *arguments],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                env=environment,
                start_new_session=True,
                umask=0o077,
                preexec_fn=die_with_parent(signal.SIGTERM),  # noqa: PLW1509 - one call of C, no lock
            )
        except FileNotFoundError:
            raise MissingExtraError(
                "reading a repository needs the program git", self._where, "install git"
            ) from None
        while True:
            try:
                out, err = process.communicate(timeout=0.2)
                return process.returncode, out, err
            except subprocess.TimeoutExpired:
                if not self._cancel.is_set() and time.monotonic() < self._deadline:
                    continue
                _end_group(process)
                if self._cancel.is_set():
                    raise CancelledError("interrupted while git was running", self._where) from None
                raise SourceError(
                    f"git was not done after {self._seconds:g} seconds",
                    self._where,
                    "is the place slow? try again later, or raise `max_seconds`",
                ) from None


def _end_group(process: subprocess.Popen[bytes]) -> None:
    """End a process and those it has started; kill them if they do not end soon."""
    for number in (signal.SIGTERM, signal.SIGKILL):
        with suppress(ProcessLookupError):
            os.killpg(process.pid, number)
        try:
            process.communicate(timeout=_TO_END)
            return
        except subprocess.TimeoutExpired:
            continue


_OWN_MEANS = frozenset(
    "GIT_SSH GIT_SSH_COMMAND GIT_ASKPASS GIT_CONFIG_GLOBAL GIT_CONFIG_SYSTEM GIT_SSL_CAINFO".split()
)


_ASKING = 15.0  # seconds that a remote may take to say what it has


def remote_refs(address: str) -> frozenset[str]:
    """The branches and tags of a repository; none where an address is no repository.

    Nor where git is not installed, or the machine may not be asked.
    """
    git = Git(Path(), address, _ASKING, NeverCancel(), Remote(address, address))
    try:
        git.begin()
        status, out, _ = git.tried(["ls-remote", "--quiet", address])
    except YonderError:
        return frozenset()
    names = [line.partition("\t")[2] for line in os.fsdecode(out).splitlines()]
    found = (re.sub(r"^refs/(heads|tags)/", "", name) for name in names)
    return frozenset(found) if not status else frozenset()
