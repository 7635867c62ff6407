"""Which format reads which file."""

from __future__ import annotations

from functools import cache
from importlib.metadata import entry_points
from pathlib import PurePosixPath

from ...core import Limits, YonderError
from .format import Format

ENTRY_POINT_GROUP = "yonder_lantern.formats"


@cache
def _installed() -> tuple[type[Format], ...]:
    """The formats that installed packages offer; looked up once, for it takes a while."""
    points = sorted(entry_points(group=ENTRY_POINT_GROUP), key=lambda point: point.name)
    return tuple(point.load() for point in points)


class Formats:
    """The formats installed, by file name suffix.

    Parameters
    ----------
    limits : Limits, optional
        How much of one file may be taken in.
    """

    def __init__(self, limits: Limits | None = None) -> None:
        self._by_suffix = {
            suffix: kind
            for kind in (made(limits) for made in _installed())
            for suffix in kind.suffixes
        }
        if not self._by_suffix:
            raise YonderError(
                "no formats are registered", "", "reinstall yonder-lantern: its metadata is missing"
            )

    def for_file(self, name: str) -> Format | None:
        """The format that reads a file of this name, if any does."""
        return self._by_suffix.get(suffix_of(name))


def suffix_of(key: str) -> str:
    """The suffix of a file name in lower case, ``.md``; empty if it has none."""
    return PurePosixPath(key).suffix.lower()
