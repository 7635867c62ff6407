"""The results of one state of the code, read back."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

from asking import DERIVED
from catalogue import BY_NAME

Result = Mapping[str, Any]


def read_results(folder: Path) -> dict[str, list[Result]]:
    """By desk, in the catalogue's order; those without answers or headings by their own names."""
    found = {}
    for collection in BY_NAME:
        for name in (collection, f"{collection}-without", f"{collection}-masked"):
            path = folder / f"{name}.jsonl"
            if path.exists():
                lines = path.read_text(encoding="utf-8").splitlines()
                found[name] = [json.loads(line) for line in lines]
    return found


def is_written(one: Result) -> bool:
    return bool(one["answerable"]) and one["kind"] not in DERIVED


def is_derived(one: Result) -> bool:
    return bool(one["answerable"]) and one["kind"] in DERIVED


def is_strange(one: Result) -> bool:
    """A question of another collection."""
    return "-of-" in one["id"]


def is_unanswered(one: Result) -> bool:
    """A question written for this collection that it does not answer."""
    return not one["answerable"] and not is_strange(one) and not is_gone(one)


def is_gone(one: Result) -> bool:
    """A question whose answer was taken away."""
    return str(one["id"]).endswith("-gone")


def not_answered(one: Result) -> bool:
    """Whether, as shipped, no answer was given: an excerpt was shown, or it was declined."""
    return one["shipped"] in ("declined", "excerpt")


def values(
    results: Mapping[str, Iterable[Result]],
    which: Callable[[Result], bool],
    value: Callable[[Result], float],
) -> dict[str, list[float]]:
    """By collection, one value for each of some questions."""
    found: dict[str, list[float]] = {}
    for name, own in results.items():
        chosen = [float(value(one)) for one in own if which(one)]
        if chosen:
            found.setdefault(name.removesuffix("-without"), []).extend(chosen)
    return found
