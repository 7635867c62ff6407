"""When the reading model reads."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from .section import Section


class ReadingSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """When the reading model reads passages; see docs/concepts/reading.md.

    Parameters
    ----------
    vectors
        ``"lazy"``: `gather` has up to ``at_gather`` of them read, and questions the rest, those
        that they bring up. ``"eager"``: `gather` has all of them read. ``"off"``: none.
    at_gather
        Passages that are read at the end of a gather, at most.
    adaptation
        Folder that `yonder tune --reading` wrote: how questions move on this desk.
    """

    vectors: Literal["lazy", "eager", "off"] = "lazy"
    at_gather: Annotated[int, Meta(ge=0)] = 4000
    adaptation: str = ""
