"""Question sets in a terminal: what became of quotes, drafts, passages to be judged."""

from __future__ import annotations

import math
import textwrap
from collections.abc import Sequence

from ...desk import ShownPassage
from ...evaluation import Question
from ...evaluation.questions import Agreement, Checked
from ...text import one_line
from .showing import counted, width
from .terminal import AMBER, RED, SEA, displayed, echo, faint, style

_MOST = 20
_LINES = 14  # of a passage
_QUOTE = 320  # characters


def show_checked(found: Checked, *, mended: bool) -> None:
    """Print which quotes do not stand as they are written, and where they stand now."""
    stand = found.count - len(found.found)
    echo(f"{stand:,} of {counted(found.count, 'quote')} stand as they are written.")
    for one in found.found[:_MOST]:
        echo()
        echo(f"{one_line(str(one.lost))}")
        if one.now is None:
            echo(style("  lost: nothing like it is left", fg=RED))
            continue
        where = {
            "spaces": "apart from its spaces it still stands there",
            "moved": f"it stands in {one.now.document} now",
            "reworded": "it reads differently now",
        }[one.how]
        echo(style(f"  {one_line(where)}", fg=SEA))
        echo(faint(f"  {_short(one.now.quote, width() - 4)}"))
        if one.figures_differ:
            echo(style("  its numbers have changed, and with them the answer: rewrite it", fg=RED))
    if len(found.found) > _MOST:
        echo(f"\nand {len(found.found) - _MOST} more")
    if found.changed:
        echo()
        echo(f"{counted(len(found.changed), 'question')} about documents that have changed since "
             "their quotes were last seen; the quotes stand.")  # fmt: skip
    if mended and found.mended:
        echo(f"\nMended: {counted(len(found.mended), 'question')}")
    elif any(one.now and not one.figures_differ for one in found.found):
        echo("\nWrite what was found again: yonder questions check --mend")


def show_draft(draft: Question, *, short: bool = False) -> None:
    """Print a draft: the question and what answers it."""
    one = displayed(draft.question, "")
    if short:
        echo(textwrap.shorten(f"{draft.id}: {one}", width(), placeholder=" …"))
        return
    echo(style(one, fg=SEA, bold=True))
    echo(faint(f"{draft.id}, {one_line(draft.origin)}"))
    if not draft.expected:
        echo("  expected: no answer")
    for group in draft.expected:
        for part in group:
            for line in textwrap.wrap(f"“{_short(part.quote, _QUOTE)}”", width() - 4):
                echo(f"  {line}")
            echo(faint(f"  {one_line(part.document)}"))
    if draft.answer:
        echo(f"  must say: {'; '.join(map(one_line, draft.answer))}")


def show_passage(shown: ShownPassage) -> None:
    """Print a passage to be judged; nothing tells which setting found it."""
    echo()
    echo(faint(f"{shown.number} of {shown.total}"))
    echo(style(one_line(shown.question), fg=SEA, bold=True))
    echo(style(one_line(shown.location), fg=AMBER))
    lines = [
        part
        for line in displayed(shown.text, "text").splitlines()
        for part in textwrap.wrap(line, width() - 2) or [""]
    ]
    for line in lines[:_LINES]:
        echo(f"  {line}")
    if len(lines) > _LINES:
        echo(faint(f"  … {len(lines) - _LINES} more lines"))


def show_agreement(found: Sequence[Agreement]) -> None:
    """Print how far each two judges agree."""
    if not found:
        echo("No two people have judged the same passage yet.")
    for one in found:
        kappa = "undefined" if math.isnan(one.kappa) else f"{one.kappa:.2f}"
        names = " and ".join(map(one_line, one.judges))
        echo(f"{names}: {counted(one.count, 'passage')}, {one.same:.0%} alike, kappa {kappa}")


def _short(text: str, size: int) -> str:
    """A text on one line, cut at a word."""
    return textwrap.shorten(one_line(" ".join(text.split())), size, placeholder=" …")
