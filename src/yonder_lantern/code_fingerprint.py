"""Which code made a result that is kept."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path


@cache
def code_fingerprint() -> str:
    """Sixteen hexadecimal digits of SHA-256 over all files of the package.

    Modules, prompts, fitted weights and models: a change of any makes another. What Python
    compiles beside them is left out.
    """
    folder = Path(__file__).parent
    digest = hashlib.sha256()
    for path in sorted(folder.rglob("*")):
        if path.is_file() and "__pycache__" not in path.parts:
            name = path.relative_to(folder).as_posix()
            digest.update(f"{name}\0{path.stat().st_size}\0".encode())
            digest.update(path.read_bytes())
    return digest.hexdigest()[:16]
