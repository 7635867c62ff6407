"""Files that cannot be made again: that there was one is noted, so that a loss is told.

Without the note, a file that is gone would be taken for one that was never there.
"""

from __future__ import annotations

from pathlib import Path

from ...core import StateError
from .files import open_private, private_folder

_FOLDER = "kept"


def note_kept(path: Path) -> None:
    """Note, beside it, that a file holds something."""
    note = path.parent / _FOLDER / path.name
    if not note.exists():
        private_folder(note.parent)
        open_private(note, "ab").close()


def check_kept(path: Path, what: str) -> None:
    """Tell the loss of a file that was kept.

    Raises
    ------
    StateError
        It is gone.
    """
    note = path.parent / _FOLDER / path.name
    if note.exists() and not path.exists():
        raise StateError(
            f"the kept {what} are gone",
            str(path),
            f"restore a backup; or delete {note}, and they begin anew",
        )


def forget_kept(path: Path) -> None:
    """Note that a file was removed on purpose."""
    (path.parent / _FOLDER / path.name).unlink(missing_ok=True)
