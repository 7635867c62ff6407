"""Starting a desk's folder."""

from __future__ import annotations

from pathlib import Path

from ..core import CallError
from ..settings import SETTINGS_FILE

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

_QUESTIONS = ""


def start_folder(folder: Path) -> list[str]:
    """Make what a desk needs in a folder, leaving alone what is there.

    Parameters
    ----------
    folder : Path
        Made when missing.

    Returns
    -------
    list of str
        What was made.

    Raises
    ------
    CallError
        The folder is a file, or may not be written.
    """
    made = []
    name = '"' + folder.absolute().name.replace("\\", "\\\\").replace('"', '\\"') + '"'
    contents = {
        SETTINGS_FILE: _SETTINGS.format(name=name),
        "questions.jsonl": _QUESTIONS,
        ".gitignore": _IGNORED,
    }
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if not (folder / "documents").exists():
            (folder / "documents").mkdir()
            made.append("documents/")
        for file_name, text in contents.items():
            path = folder / file_name
            if not path.exists():
                path.write_text(text, encoding="utf-8")
                made.append(file_name)
    except OSError as error:
        raise CallError(
            f"the folder cannot be made: {error.strerror}", str(folder), "name another folder"
        ) from error
    return made
