"""The exchange that most embedding servers speak: a list of inputs in, numbered vectors out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

RESULTS = "/data"
VECTOR = "/embedding"


def body(model: str, texts: Sequence[str]) -> dict[str, Any]:
    """What is sent.

    Examples
    --------
    >>> body("", ["a quay"])
    {'input': ['a quay']}
    """
    return {**({"model": model} if model else {}), "input": list(texts)}


def ordered(results: Sequence[Any]) -> list[Any]:
    """The results in the order of the texts, which their numbers tell."""
    if all(isinstance(one, Mapping) and isinstance(one.get("index"), int) for one in results):
        return sorted(results, key=lambda one: int(one["index"]))
    return list(results)


def asked(sent: Mapping[str, Any]) -> list[str] | None:
    """The texts that a body asks the vectors of; None if it is of another shape."""
    texts = sent.get("input")
    if isinstance(texts, str):
        return [texts]
    return [str(text) for text in texts] if isinstance(texts, list) else None


def replied(vectors: Sequence[Sequence[float]]) -> dict[str, Any]:
    """A reply with vectors."""
    return {"data": [{"index": at, "embedding": list(vector)} for at, vector in enumerate(vectors)]}
