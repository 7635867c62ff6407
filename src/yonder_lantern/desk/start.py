"""Starting a desk's folder: empty, or from a starter."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Literal

from ..core import CallError
from ..settings import SETTINGS_FILE

Starter = Literal["", "documents", "site", "database"]
STARTERS = ("documents", "site", "database")
_HERE = Path(__file__).parent
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
        made += write_missing(folder, contents)
    except OSError as error:
        raise CallError(
            f"the folder cannot be made: {error.strerror}", str(folder), "name another folder"
        ) from error
    return made


def write_missing(folder: Path, contents: Mapping[str, str]) -> list[str]:
    """Write the files that are not there yet; which they are."""
    made = []
    for name, text in contents.items():
        path = folder / name
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
            made.append(name)
    return made
