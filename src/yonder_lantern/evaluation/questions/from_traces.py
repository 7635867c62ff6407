"""Questions that people really asked, taken over as drafts."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from .question_set import Expected, Question
from .write_set import free_id


def questions_asked(
    traces: Iterable[Mapping[str, Any]],
    ratings: Mapping[str, tuple[str, str]],
    *,
    known: Sequence[Question],
    taken: set[str],
    only: str = "",
    count: int = 50,
) -> list[Question]:
    """Drafts of the questions of traces, each once, the latest first.

    What an answer rested on that a person rated good is expected; of all others a person has to
    say what answers them. They are asked as of the day they were asked, of those who asked.

    Parameters
    ----------
    traces : iterable of mapping
    ratings : mapping of str to (str, str)
        By trace, ``good`` or ``bad``, and the remark.
    known : sequence of Question
        That are not taken again.
    taken : set of str
        Ids in use; those of the drafts are added.
    only : {"", "good", "bad"}
        Only those that were rated so.
    count : int
    """
    seen = {_flat(one.question) for one in known}
    found: list[Question] = []
    for trace in traces:
        rating, remark = ratings.get(trace["id"], ("", ""))
        question = str(trace.get("question") or "").strip()
        flat = _flat(question)
        if len(found) >= count or not flat or flat in seen or (only and rating != only):
            continue
        if (trace.get("answer") or {}).get("courtesy"):
            continue
        seen.add(flat)
        cited = (trace.get("answer") or {}).get("citations") or []
        expected = tuple(
            (
                Expected(
                    document=one["document"],
                    quote=one.get("quote") or one.get("words") or "",
                    version=one.get("version") or "",
                ),
            )
            for one in cited
            if one.get("version")
        )
        found.append(
            Question(
                id=free_id("asked", taken),
                question=question,
                kind="asked",
                expected=expected if rating == "good" else (),
                audience=tuple(trace["audience"]) if trace.get("audience") else None,
                as_of=str(trace.get("as_of") or trace.get("at") or "")[:10] or None,
                split="fit" if len(found) % 2 else "test",
                draft=True,
                origin=f"asked, trace {trace['id']}"
                + (f", rated {rating}" if rating else "")
                + (f": {remark}" if remark else ""),
            )
        )
    return found


def _flat(text: str) -> str:
    return " ".join(re.findall(r"\w+", text.casefold()))
