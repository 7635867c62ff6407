"""Candidate questions that a model proposes; what it quotes has to stand in the document."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable

from .question_set import Expected, Question
from .write_set import free_id

Ask = Callable[[str], str]


def drafted_by_model(
    passages: Iterable[tuple[str, str, str]], ask: Ask, count: int, *, taken: set[str]
) -> tuple[list[Question], int]:
    """Let a model write a question that each passage answers.

    Parameters
    ----------
    passages : iterable of (str, str, str)
        Document, its version, and the words of a passage.
    ask : callable
        Sends a passage to the model in the desk's own prompt; its reply.
    count : int
    taken : set of str
        Ids in use; those of the drafts are added.

    Returns
    -------
    drafts : list of Question
    refused : int
        Replies that were of another shape, or quoted what the passage does not say.
    """
    found: list[Question] = []
    refused = 0
    for document, version, text in passages:
        if len(found) >= count:
            break
        told = _read(ask(text))
        quote = _stands(text, told[1]) if told else ""
        if not told or not quote:
            refused += 1
            continue
        found.append(
            Question(
                id=free_id("draft-model", taken),
                question=told[0],
                kind="by_model",
                expected=((Expected(document=document, quote=quote, version=version),),),
                split="fit" if len(found) % 2 else "test",
                draft=True,
                origin="drafted by a model",
            )
        )
    return found, refused


def _read(reply: str) -> tuple[str, str] | None:
    found = re.search(r"\{.*\}", reply, re.S)
    try:
        told = json.loads(found[0]) if found else None
    except ValueError:
        return None
    if not isinstance(told, dict):
        return None
    question, quote = str(told.get("question") or ""), str(told.get("quote") or "")
    return (question.strip(), quote.strip()) if question.strip().endswith("?") and quote else None


def _stands(text: str, quote: str) -> str:
    """A quote as it stands in a text, whatever its spaces; empty if it does not."""
    found = re.search(r"\s+".join(map(re.escape, quote.split())), text)
    return found[0] if found else ""
