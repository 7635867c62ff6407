"""When the source of a citation was last looked at."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from ..core import Citation
from ..index import Snapshot


def with_age(citations: tuple[Citation, ...], snapshot: Snapshot) -> tuple[Citation, ...]:
    """Citations that say when their source was last looked at."""
    known = snapshot.sources()
    checked = {}
    for name, source in known.items():
        moment = datetime.fromtimestamp(source.checked_ns / 1e9, UTC)
        checked[name] = moment.isoformat(timespec="seconds") if source.checked_ns else ""
    return tuple(
        one if one.live else replace(one, checked=checked.get(one.document.partition("/")[0], ""))
        for one in citations
    )
