"""An outline of a tree of files: what is where, one line for each file."""

from __future__ import annotations

import re
from pathlib import Path

_LONGEST = 120
_MOST_BYTES = 8000
_HEADING = re.compile(r"^#{1,3} +(.+?)\s*#*$", re.MULTILINE)
_TITLED = re.compile(r"^([^\s.:][^\n]{2,})\n[=\-~^]{3,}\s*$", re.MULTILINE)
_DOCSTRING = re.compile(r'\A(?:#[^\n]*\n|\s)*[rbuRBU]?(?:"""|\'\'\')\s*((?:(?!"""|\'\'\')[^\n])+)')
_COMMENT = re.compile(r"\A(?:#!.*\n|\s)*+(?:#|//|/\*+|--|;|%)++[ \t]*+([^\n]*\w[^\n*]*)")


def tree_outline(name: str, files: list[tuple[str, Path]]) -> str:
    """A Markdown outline of some files.

    Parameters
    ----------
    name : str
        What the whole is called.
    files : list of (key, path)
        In order; the key is the path that is shown.

    Returns
    -------
    str
        A heading for each folder and an item for each file: its path, and what
        its own first heading or comment says it is.
    """
    lines = [f"# How {name} is organised: where things are", ""]
    folder = None
    count = len(files)
    lines.append(f"{count} files in {len({_folder(key) for key, _ in files})} folders.")
    for key, path in sorted(files, key=lambda pair: (_folder(pair[0]), pair[0])):
        if _folder(key) != folder:
            folder = _folder(key)
            lines += ["", f"## Folder {folder or '(top)'}", ""]
        about = first_words(path)
        lines.append(f"- {key}" + (f": {about}" if about else ""))
    return "\n".join(lines) + "\n"


def first_words(path: Path) -> str:
    """What a file says it is, in its first heading, docstring or comment."""
    try:
        with path.open("rb") as opened:
            data = opened.read(_MOST_BYTES)
    except OSError:
        return ""
    if b"\0" in data:
        return ""
    text = data.decode("utf-8", "replace")
    patterns = (
        (_HEADING, _TITLED) if path.suffix in (".md", ".rst", ".txt") else (_DOCSTRING, _COMMENT)
    )
    for pattern in patterns:
        match = pattern.search(text)
        if match:
            return " ".join(match[1].split())[:_LONGEST]
    return ""


def _folder(key: str) -> str:
    return key.rpartition("/")[0]
