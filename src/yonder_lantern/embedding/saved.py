"""What an index was made with, written down beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..platform.storage import read_sealed, sealed, whole_folder, write_bytes

_NAME = "embedding.json"


def save_description(folder: Path, hash_: str, description: dict[str, Any]) -> None:
    """Write a description into a folder named by a hash below ``folder``, in one step."""
    if not (folder / hash_).exists():
        with whole_folder(folder / hash_) as beside:
            write_bytes(beside / _NAME, sealed(description, indent=1))


def load_description(folder: Path) -> dict[str, Any]:
    """The description in a folder.

    Raises
    ------
    IndexStateError
        It is missing or damaged.
    """
    return read_sealed(folder / _NAME)
