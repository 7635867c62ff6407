"""Files of this machine, within the limit of size."""

from __future__ import annotations

from pathlib import Path

from ...core import LimitError, Limits


def read_within(path: Path, limits: Limits, where: str) -> bytes:
    """The bytes of a file.

    Raises
    ------
    LimitError
        It is larger than an item may be.
    """
    size = path.stat().st_size
    if size > limits.bytes:
        raise LimitError(
            f"it has {size / 1e6:.1f} MB; the limit is {limits.bytes / 1e6:g} MB",
            where,
            "raise gather.max_megabytes, or split it",
        )
    return path.read_bytes()
