"""Starting a desk's folder: empty, from a starter, or with what deploys it."""

from __future__ import annotations

import getpass
import re
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Literal

from ..core import CallError
from ..settings import SETTINGS_FILE

Starter = Literal["", "documents", "site", "database"]
STARTERS = ("documents", "site", "database")
_HERE = Path(__file__).parent
_HOST = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9.-]*[A-Za-z0-9])?")
_SETTINGS = """\
# Settings of this desk. Every key has a default; docs/reference/settings.md lists them all.
# Secrets do not belong in this file: write "${{NAME}}" and set NAME in the environment.

[desk]
name = {name}
timezone = "UTC"

[[source]]
name = "documents"
folder = "documents"
include = ["**/*"]
audience = ["public"]
"""

_IGNORED = """\
# The index, traces and conversations; they can be made again or are private.
.yonder/
# Secrets.
.env
*.pem
*.key
"""


def start_folder(folder: Path, starter: Starter = "") -> list[str]:
    """Make what a desk needs in a folder, leaving alone what is there.

    Parameters
    ----------
    folder : Path
        Made when missing.
    starter : {"", "documents", "site", "database"}
        What it begins with: nothing, or an example that runs.

    Returns
    -------
    list of str
        What was made.

    Raises
    ------
    CallError
        The folder is a file, or may not be written.
    """
    name = '"' + folder.absolute().name.replace("\\", "\\\\").replace('"', '\\"') + '"'
    contents = {SETTINGS_FILE: _SETTINGS.format(name=name)}
    if starter:
        root = _HERE / "starters" / starter
        for path in sorted(root.rglob("*")):
            if path.is_file():
                key = path.relative_to(root).as_posix().removesuffix(".template")
                contents[key] = path.read_text(encoding="utf-8")
        contents[SETTINGS_FILE] = contents[SETTINGS_FILE].replace("{name}", name)
    contents |= {"questions.jsonl": "", ".gitignore": _IGNORED}
    made = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if not (folder / "documents").exists():
            (folder / "documents").mkdir()
            made.append("documents/")
        made += _written(folder, contents)
    except OSError as error:
        raise CallError(
            f"the folder cannot be made: {error.strerror}", str(folder), "name another folder"
        ) from error
    return made


def add_deployment(folder: Path, host: str) -> list[str]:
    """Write a systemd unit, a container file and a reverse proxy's settings below ``deploy``.

    Parameters
    ----------
    folder : Path
        The desk's.
    host : str
        The name it will be reached by.

    Returns
    -------
    list of str
        What was made; what is there is left alone.

    Raises
    ------
    CallError
        There is no desk in the folder, the host is none, or the files cannot be written.
    """
    if not (folder / SETTINGS_FILE).is_file():
        raise CallError(f"there is no {SETTINGS_FILE}", str(folder), "start a desk there first")
    if not _HOST.fullmatch(host):
        raise CallError(f"not a host name: {host!r}", "--deploy", "write it as desk.example.org")
    values = {
        "name": re.sub(r"[^\w .-]", " ", folder.absolute().name),
        "unit": "yonder.service",
        "user": getpass.getuser(),
        "folder": str(folder.absolute()),
        "program": shutil.which("yonder") or "/usr/local/bin/yonder",
        "host": host,
    }
    contents = {}
    for path in sorted((_HERE / "deploy_files").iterdir()):
        if path.is_file():
            contents[f"deploy/{path.name}"] = path.read_text(encoding="utf-8").format(**values)
    try:
        (folder / "deploy").mkdir(exist_ok=True)
        return _written(folder, contents)
    except OSError as error:
        raise CallError(
            f"the files cannot be written: {error.strerror}", str(folder), "see its permissions"
        ) from None


def _written(folder: Path, contents: Mapping[str, str]) -> list[str]:
    """Write the files that are not there yet; which they are."""
    made = []
    for name, text in contents.items():
        path = folder / name
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
            made.append(name)
    return made
