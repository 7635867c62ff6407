"""What a kind of source must be able to do, and how one is opened."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from ...core import Cancel, Item, Limits, NeverCancel, SettingsError, YonderError
from ...settings import KINDS, OtherSettings, ServiceSettings, SourceSettings

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

ENTRY_POINT_GROUP = "yonder_lantern.sources"


def unheard(notice: str) -> None:
    """Ignore progress."""


@dataclass(frozen=True, slots=True)
class SourceContext:
    """What a source may use besides its own settings.

    Attributes
    ----------
    desk : Path
        The desk's folder, against which paths are read.
    state : Path
        A folder of the source's own, for what it has fetched; made when needed.
    limits : Limits
    services : mapping of str to ServiceSettings
        The profiles of services, by name.
    cancel : Cancel
    notice : callable
        Told what the report should say besides.
    """

    desk: Path
    state: Path
    limits: Limits = field(default_factory=Limits)
    services: Mapping[str, ServiceSettings] = field(default_factory=dict)
    cancel: Cancel = field(default_factory=NeverCancel)
    notice: Callable[[str], None] = unheard


def fail_with(error: YonderError) -> bytes:
    """Reading an item that cannot be had."""
    raise error


class Source(Protocol):
    """A place documents come from."""

    def check(self) -> None:
        """Raise an error when the place cannot be read at all; fetch nothing."""
        ...

    def items(self) -> Iterator[Item]:
        """Every item the source holds now, in a stable order.

        An item that is there but cannot be had is given too; reading it raises.
        """
        ...


class SourceKind(Protocol):
    """Opens sources of one kind; what an entry point of the group leads to."""

    def __call__(self, settings: SourceSettings, context: SourceContext, /) -> Source:
        """The source that a ``[[source]]`` section describes."""
        ...


def open_source(settings: SourceSettings, context: SourceContext) -> Source:
    """The source that a ``[[source]]`` section describes.

    Kinds are found by entry points of the group ``yonder_lantern.sources``, whose
    name is the section's own key (``site``), or what it says as its ``kind``.

    Raises
    ------
    SettingsError
        No installed package brings that kind.
    """
    name = kind_of(settings)
    points = _installed()
    if name not in points:
        raise SettingsError(
            f"no installed package brings sources of the kind {name!r}",
            f"[[source]] {settings.name!r}, kind",
            f"known here: {', '.join(sorted(points))}",
        )
    kind: SourceKind = points[name].load()
    return kind(settings, context)


@cache
def _installed() -> dict[str, EntryPoint]:
    """The kinds that installed packages offer; looked up once, for it takes a while."""
    from importlib.metadata import entry_points  # only here: it takes a while to load

    return {point.name: point for point in entry_points(group=ENTRY_POINT_GROUP)}


def kind_of(settings: SourceSettings) -> str:
    """The name of a section's kind."""
    if isinstance(settings, OtherSettings):
        return settings.kind
    return next((key for key, kind in KINDS.items() if isinstance(settings, kind)), "held")
