"""Time every compiled expression of the package on long texts that are made to be hard.

python benchmarks/hardness/patterns.py
"""

from __future__ import annotations

import importlib
import inspect
import math
import pkgutil
import re
import signal
import time

from common import end_with

import yonder_lantern

_NASTY = [
    *"a1 \n.-([|*_'",
    *("a ", "a.", "1 ", "1.", "a-", "@a", '"a', "a\n", "- a\n", "# ", "a@", "&a", "<a", "\n\n"),
    *("A.", "1,", "a (", "(a", "] "),
]
_LONG = 20_000  # characters: longer than any question, answer or line that people write
_BOUNDED = {"text.abbreviations._WORDS_BEFORE": 120}  # where the text is cut before
_AT_MOST = 0.5  # seconds for them; a document that takes longer runs into the limits of reading


def patterns() -> list[str]:
    """Those that take too long."""
    signal.signal(signal.SIGALRM, _give_up)
    faults: list[str] = []
    found: dict[str, re.Pattern[str]] = {}
    for module in pkgutil.walk_packages(yonder_lantern.__path__, "yonder_lantern."):
        if "saltgarth" in module.name or module.name.endswith("__main__"):
            continue
        for name, value in vars(importlib.import_module(module.name)).items():
            several = value.values() if isinstance(value, dict) else value
            for one in several if isinstance(several, list | type({}.values())) else [value]:
                if isinstance(one, re.Pattern) and isinstance(one.pattern, str):
                    key = f"{module.name.removeprefix('yonder_lantern.')}.{name}"
                    found[f"{key} {len(found)}" if one is not value else key] = one
    for name, pattern in sorted(found.items()):
        module, _, constant = name.rpartition(".")
        source = inspect.getsource(importlib.import_module(f"yonder_lantern.{module}"))
        # One that is only matched at a place starts there and nowhere else.
        searched = bool(re.search(rf"\b{constant}\.(?:search|find|sub|split)", source))
        long = _BOUNDED.get(name, _LONG)
        took, piece, end = max(
            (_timed(pattern, piece * (long // len(piece)) + end, searched), piece, end)
            for piece in _NASTY
            for end in ("", "!", "\x00")
        )
        if took > _AT_MOST:
            faults.append(f"{name}: more than {_AT_MOST} s for {piece!r} over and over, {end!r}")
    print(f"{len(found)} expressions on {len(_NASTY)} kinds of text: {len(faults)} take too long")
    return faults


def _timed(pattern: re.Pattern[str], text: str, searched: bool) -> float:
    began = time.perf_counter()
    signal.setitimer(signal.ITIMER_REAL, _AT_MOST)
    try:
        for _ in pattern.finditer(text) if searched else ():
            pass
        pattern.match(text)
        pattern.fullmatch(text)
    except TimeoutError:
        return math.inf
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
    return time.perf_counter() - began


def _give_up(*_: object) -> None:
    raise TimeoutError


if __name__ == "__main__":
    end_with(patterns())
