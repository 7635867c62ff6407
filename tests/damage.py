"""Damaging the files of a desk, and seeing whether it is told or answered wrongly."""

from __future__ import annotations

import random
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from yonder_lantern import Desk
from yonder_lantern.core import YonderError
from yonder_lantern.desk.look_inside import look_at_documents

KINDS = ("flip", "zero", "truncate")
QUESTIONS = (
    "When is the fuel berth open in winter?",
    "BL-60",
    "landing dues on fish",
    '"clear of the fairway"',
    "petty cash in the safe",
)
_NOT_KEPT = (".lock", "-wal", "-shm")  # hold nothing


@dataclass(frozen=True, slots=True)
class Outcome:
    """What one question to a desk gave: a value, or an error's remedy."""

    value: Any = None
    remedy: str = ""


def kept_files(state: Path) -> list[Path]:
    """The files of a desk that hold something, in order."""
    return sorted(
        path
        for path in state.rglob("*")
        if path.is_file()
        and path.stat().st_size
        and not path.name.endswith(_NOT_KEPT)
        and "copy" not in path.parts  # of git, which checks its own files
    )


def damage(path: Path, kind: str, draw: random.Random) -> None:
    """Flip a bit of a file, zero some of it, or cut it short."""
    data = bytearray(path.read_bytes())
    at = draw.randrange(len(data))
    if kind == "flip":
        data[at] ^= 1 << draw.randrange(8)
    elif kind == "truncate":
        del data[at:]
    else:
        filled = [n for n, byte in enumerate(data[at : at + 4096], at) if byte] or [
            n for n, byte in enumerate(data) if byte
        ]
        if not filled:
            data[at] ^= 1
        for number in filled[: 1 + draw.randrange(len(filled) or 1)]:
            data[number] = 0
    path.write_bytes(data)


def told(folder: Path) -> dict[str, Outcome]:
    """What a desk tells its owner and the public."""
    found: dict[str, Outcome] = {}
    with Desk.open(folder, record=False) as desk:
        for name, audience in (("owner", None), ("public", ["public"])):
            for question in QUESTIONS:
                found[f"{name} finds {question}"] = _outcome(
                    lambda q=question, a=audience: [
                        (hit.document, hit.start, hit.end, hit.text, round(hit.score, 6))
                        for hit in desk.find(q, audience=a, as_of="2026-11-01")
                    ]
                )
            found[f"{name} asks"] = _outcome(
                lambda a=audience: str(desk.ask(QUESTIONS[0], audience=a, as_of="2026-11-01"))
            )
        found["documents"] = _outcome(lambda: [str(one) for one in look_at_documents(desk)])
        found["metadata"] = _outcome(
            lambda: [hit.document for hit in desk.find("quay", where="source = 'handbook'")]
        )
        found["traces"] = _outcome(lambda: list(desk.traces.newest_first()))
        found["conversation"] = _outcome(lambda: desk.conversations.resume().turns)
        found["costs"] = _outcome(lambda: list(desk.costs.entries()))
    return found


def _outcome(call: Any) -> Outcome:
    try:
        return Outcome(value=call())
    except YonderError as error:
        return Outcome(remedy=error.remedy or "none")


def trials(
    folder: Path, scratch: Path, count: int, draw: random.Random
) -> Iterator[tuple[Path, str, str]]:
    """Damage one file after another of a copy; what is wrong with how that is told, if anything.

    Yields
    ------
    path, kind, fault
        ``fault`` is empty where the answers are what they were, or an error names the way out.
    """
    whole = told(folder)
    state = folder / ".yonder"
    files = kept_files(state)
    for number in range(count):
        kind = KINDS[number % len(KINDS)]
        path = files[draw.randrange(len(files))]
        own = path.relative_to(state)
        copy = scratch / "copy"
        shutil.rmtree(copy, ignore_errors=True)
        shutil.copytree(folder, copy, copy_function=_linked)
        target = copy / ".yonder" / own
        data = target.read_bytes()
        target.unlink()
        target.write_bytes(data)
        damage(target, kind, draw)
        yield own, kind, fault_of(own, whole, told(copy))


def _linked(source: str, target: str) -> None:
    """A hard link: copying every file for every trial would take most of the time."""
    Path(target).hardlink_to(source)


def fault_of(path: Path, whole: dict[str, Outcome], now: dict[str, Outcome]) -> str:
    """What is wrong: another answer, or the wrong way out."""
    right = {"index": "gather --rebuild"}.get(path.parts[0], "delete that line")
    for name, before in whole.items():
        after = now[name]
        if after == before:
            continue
        if after.remedy:
            if right not in after.remedy:
                return f"{name}: the wrong remedy: {after.remedy}"
            continue
        cut = path.parts[0] != "index" and isinstance(after.value, list)
        if cut and after.value == before.value[-len(after.value) :]:
            continue  # cut at its end, as a kill would, which is warned of
        if cut and after.value == before.value[: len(after.value)]:
            continue
        return f"{name}: another answer"
    return ""
