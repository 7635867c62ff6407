"""What an index was made with, written down beside it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from ..records import IndexStateError
from ..storage import REBUILD, whole_folder, write_bytes

_NAME = "embedding.json"


def save_description(folder: Path, hash_: str, description: dict[str, Any]) -> None:
    """Write a description into a folder named by a hash below ``folder``, in one step."""
    if not (folder / hash_).exists():
        with whole_folder(folder / hash_) as beside:
            write_bytes(beside / _NAME, json.dumps(description, indent=1).encode())


def load_description(folder: Path) -> dict[str, Any]:
    """The description in a folder.

    Raises
    ------
    IndexStateError
        It is missing or damaged.
    """
    try:
        found = json.loads((folder / _NAME).read_bytes())
        if not isinstance(found, dict):
            raise ValueError("it is no object")
    except (OSError, ValueError) as error:
        raise IndexStateError(
            "what the index's vectors were made with cannot be read", str(folder / _NAME), REBUILD
        ) from error
    return found
