"""Documents that say they supersede others: those end where these begin."""

from __future__ import annotations

from ...core import OPEN_START, GatherReport
from ...index import NEVER, IndexWriter


def apply_superseding(writer: IndexWriter, report: GatherReport) -> None:
    """End the validity of every superseded document; give back that of others.

    A document ends when the one that supersedes it begins to be valid; if that
    does not say when it begins, it was never valid. ``supersedes`` names ids, or
    keys within the same source. Nobody loses sight of both: a document that some
    people may not see does not supersede one that they may.
    """
    records = writer.records
    superseding = records.superseding()
    ids = records.live() if superseding else {}
    ends: dict[int, int] = {}
    for row, id_, source, metadata, audience, valid_from in superseding:
        named = metadata.get("supersedes") or []
        for one in [named] if isinstance(named, str) else named:
            target = next((at for at in (str(one), f"{source}/{one}") if at in ids), None)
            if target is None:
                report.notices.append(f"{id_} supersedes {one}, which does not exist")
                continue
            old = ids[target][0]
            if old == row:
                continue
            if not records.audience(old) <= audience:
                report.notices.append(
                    f"{id_} does not supersede {target}: not everyone who may see that may see it"
                )
                continue
            ends[old] = min(ends.get(old, valid_from), valid_from)
    for row, (until, stated) in records.validity(ends).items():
        wanted = min(stated, ends.get(row, stated))
        if row in ends and ends[row] == OPEN_START:
            wanted = NEVER
        if wanted != until:
            writer.end_validity(row, wanted)
