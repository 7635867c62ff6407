"""Running git, quietly and without giving a repository any power over this machine."""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

from ...core import Cancel, CancelledError, MissingExtraError, SourceError
from ...platform.storage import die_with_parent
from ...settings import Hider, revealed

_SAFE = (
    "-c", "core.hooksPath=/dev/null",
    "-c", "core.fsmonitor=false",
    "-c", "core.symlinks=false",
    "-c", "protocol.ext.allow=never",
    "-c", "advice.detachedHead=false",
    "-c", "gc.auto=0",
    "-c", "core.logAllRefUpdates=false",
)  # fmt: skip
_TO_END = 5.0  # seconds


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
        How long one command may take.
    cancel : Cancel
        Looked at while a command runs.
    remote : pair of str
        The address as it is shown and kept, and as it is used: a password in it is never
        written down, nor seen among the arguments of a process.
    """

    def __init__(
        self, folder: Path, where: str, seconds: float, cancel: Cancel, remote: tuple[str, str]
    ) -> None:
        self._folder = folder
        self._where = where
        self._seconds = seconds
        self._cancel = cancel
        self._remote = remote
        self._hide = Hider([remote[1]])

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
            "LC_ALL": "C",
        }
        shown, address = self._remote
        if shown != address or "${" in address:
            environment |= {
                "GIT_CONFIG_COUNT": "1",
                "GIT_CONFIG_KEY_0": f"url.{revealed(address)}.insteadOf",
                "GIT_CONFIG_VALUE_0": shown,
            }
        try:
            process = subprocess.Popen(
                ["git", *_SAFE, "-C", str(self._folder), *arguments],
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
        deadline = time.monotonic() + self._seconds
        while True:
            try:
                out, err = process.communicate(timeout=0.2)
                return process.returncode, out, err
            except subprocess.TimeoutExpired:
                if not self._cancel.is_set() and time.monotonic() < deadline:
                    continue
                _end_group(process)
                if self._cancel.is_set():
                    raise CancelledError("interrupted while git was running", self._where) from None
                raise SourceError(
                    f"git {arguments[0]} took more than {self._seconds:g} seconds",
                    self._where,
                    "is the place slow? try again later",
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
