"""Grades, failures, verdicts and earlier results in a terminal."""

from __future__ import annotations

import textwrap
from collections import Counter
from collections.abc import Sequence

from ...evaluation import (
    ANSWERS,
    RETRIEVAL,
    WRITTEN,
    Difference,
    Failure,
    Grades,
    Interval,
    LiveQuality,
    Rung,
    Verdict,
    measure_named,
    side_by_side,
)
from ...text import one_line
from .showing import counted, width
from .terminal import AMBER, RED, SEA, displayed, echo, faint, style

_BAR = 28
_MOST_FAILURES = 12
_COLOURS = {"better": SEA, "worse": RED}
_COMPARED = ("recall@5", "ndcg@10", "characters@1000", *ANSWERS)
_LISTED = ("recall@5", "ndcg@10", "right", "answered wrongly")


def show_grades(grades: Grades, split: str | None = None) -> None:
    """Print the tables: by split with intervals, and by kind."""
    splits = [split] if split else [s for s in ("fit", "test") if _any_in(grades, s)]
    answerable = sum(one.answerable for one in grades.questions)
    echo(
        f"{len(grades.questions)} questions, {answerable} of them answerable; as of "
        f"{grades.as_of[:10]}; means with 95 % intervals"
    )
    echo()
    echo(faint((f"{'':<22}" + "".join(f"{name:<24}" for name in splits)).rstrip()))
    for name in (*RETRIEVAL, *ANSWERS, *WRITTEN):
        intervals = [grades.measure(name, split=one) for one in splits]
        if name in (ANSWERS[0], WRITTEN[0]):
            echo()
        if not grades.tells(name) or not any(one.count for one in intervals):
            continue
        cells = "".join(f"{_shown(name, one):<24}" for one in intervals)
        varies = ""
        if grades.repeats:
            varies = f"± {grades.between_runs(name):.3f} between runs"
        echo(f"{name:<22}{cells}{varies}".rstrip())
    echo()
    _by_kind(grades, split)
    show_left_out(grades.left_out)
    if grades.drafts:
        echo(f"\nNot asked: {counted(grades.drafts, 'draft')} that nobody has accepted yet.")
    failed = [one for one in grades.questions if one.problem]
    if failed:
        echo(f"\n{counted(len(failed), 'question')} failed: {one_line(failed[0].problem)}")


def _shown(name: str, interval: Interval) -> str:
    digits = measure_named(name).digits
    return f"{interval.mean:.{digits}f} [{interval.low:.{digits}f}, {interval.high:.{digits}f}]"


def _by_kind(grades: Grades, split: str | None) -> None:
    columns = {name: name for name in ("recall@5", "mrr", "ndcg@10", "right")}
    columns |= {
        "answered wrongly": "wrong",
        "excerpt holds it": "excerpt",
        "declined wrongly": "declined",
        "declined rightly": "declined rightly",
    }
    only = {"split": split} if split else {}
    sizes = {name: len(head) + 2 for name, head in columns.items()}
    heads = "".join(f"{head:>{sizes[name]}}" for name, head in columns.items())
    echo(faint(f"{'kind':<14}{'asked':>6}{heads}"))
    for kind in dict.fromkeys(one.kind for one in grades.questions):
        asked = sum(
            one.kind == kind and (split is None or one.split == split) for one in grades.questions
        )
        cells = ""
        for column, size in sizes.items():
            interval = grades.measure(column, kind=kind, **only)
            cells += f"{interval.mean:>{size}.2f}" if interval.count else f"{'·':>{size}}"
        echo(f"{one_line(kind):<14}{asked:>6}{cells}")


def show_left_out(count: int) -> None:
    """Say how many questions were left out."""
    if count:
        echo(
            f"\nLeft out: {counted(count, 'question')} about documents that could not be read here "
            "(yonder look --failures)."
        )


def show_change(earlier: Grades, grades: Grades) -> None:
    """Print what has changed since an earlier result, and which questions were won and lost."""
    echo()
    echo(f"Against {earlier.id}, of {earlier.at[:16].replace('T', ' ')}:")
    for name in _COMPARED:
        difference = grades.against(earlier, name)
        if difference.count:
            echo(f"  {name:<22}{difference!s:<26}{said_of(name, difference)}")
    sides = side_by_side(earlier, grades)
    echo(
        f"  won {len(sides.won)}, lost {len(sides.lost)}, equal {sides.equal}"
        + (f"; lost: {', '.join(map(one_line, sides.lost[:8]))}" if sides.lost else "")
    )
    changed = [
        f"{key}: {before} → {after}"
        for key, (before, after) in grades.changes_since(earlier).items()
    ]
    changed += [
        f"{name}: {earlier.versions.get(name)} → {value}"
        for name, value in grades.versions.items()
        if earlier.versions.get(name) != value
    ]
    for line in changed:
        echo(f"  changed: {one_line(line)}")


def said_of(name: str, difference: Difference) -> str:
    """What may be concluded from a difference, with its p where one is shown."""
    said = measure_named(name).conclusion(difference)
    colour = _COLOURS.get(said)
    if not measure_named(name).judged:
        return faint(said)
    told = f"{said}, p = {difference.p:.3g}"
    return faint(told) if colour is None else style(told, fg=colour)


def show_ladder(rungs: Sequence[Rung]) -> None:
    """Print how many answerable questions get how far, as a ladder."""
    echo()
    whole = max(1, rungs[0].reached + rungs[0].lost)
    echo(f"How far {counted(whole, 'answerable question')} get")
    echo()
    for rung in rungs:
        bar = "█" * round(_BAR * rung.reached / whole)
        several = len(rung.causes) > 1
        lost = "; ".join(
            f"{count} {cause.value}" if several else cause.value for cause, count in rung.causes
        )
        told = style(f"−{rung.lost} {lost}", fg=AMBER) if rung.lost else ""
        echo(
            f"  {rung.name:<22}{rung.reached:>5} {style(f'{bar:<{_BAR}}', fg=SEA)} {told}".rstrip()
        )


def show_failures(failures: Sequence[Failure]) -> None:
    """Print the causes with what to try, and some questions of each."""
    counts = Counter(one.cause for one in failures)
    for cause, count in counts.most_common():
        there = [one for one in failures if one.cause is cause]
        echo()
        echo(f"{style(cause.value, fg=AMBER, bold=True)}, {counted(count, 'question')}: "
             f"{there[0].means}")  # fmt: skip
        echo(f"  try: {there[0].advice}: {there[0].command}")
        for one in displayed(there)[: max(2, _MOST_FAILURES // len(counts))]:
            told = f"{one.id}: {one.question}"
            echo("  " + textwrap.shorten(told, width() - 2, placeholder=" …"))
            echo(faint("    " + textwrap.shorten(one.detail, width() - 4, placeholder=" …")))
            if one.why:
                echo(faint(f"    {one.why}"))


def show_verdicts(verdicts: Sequence[Verdict]) -> None:
    """Print what is required and whether it is met, a line each."""
    if verdicts:
        echo()
    for one in verdicts:
        echo(style(one_line(one.line), fg=SEA if one.met else RED))


def show_results(results: Sequence[Grades]) -> None:
    """Print the earlier results, the latest first."""
    if not results:
        echo("Nothing has been graded yet.")
        return
    heads = "".join(f"{name:>{len(name) + 2}}" for name in _LISTED)
    echo(faint(f"{'result':<22}{'questions':>10}{heads}  set"))
    for one in results:
        cells = ""
        for name in _LISTED:
            own = one.measure(name)
            size = len(name) + 2
            cells += f"{own.mean:>{size}.3f}" if own.count else f"{'·':>{size}}"
        echo(f"{one.id:<22}{len(one.questions):>10}{cells}  {one.asked[:6]}")


def show_live(found: LiveQuality) -> None:
    """Print how answers to real questions go, by day and topic."""
    if not found.days:
        echo("Nothing has been asked yet.")
        return
    echo(faint(f"{'day':<24}{'asked':>6}{'answered':>10}{'excerpt':>9}{'declined':>10}"
               f"{'good':>6}{'bad':>5}"))  # fmt: skip
    for one in (*found.days, *found.topics):
        echo(
            f"{one_line(one.name)[:23]:<24}{one.asked:>6}{one.answered / one.asked:>10.0%}"
            f"{one.excerpts / one.asked:>9.0%}{one.declined / one.asked:>10.0%}"
            f"{one.good:>6}{one.bad:>5}"
        )
    if found.gaps:
        echo()
        echo("Asked, but not answered by the documents:")
        for gap in displayed(found.gaps):
            more = f" (and {counted(gap.count - 1, 'question')} like it)" if gap.count > 1 else ""
            echo("  " + textwrap.shorten(gap.question, width() - 26, placeholder=" …") + more)


def _any_in(grades: Grades, split: str) -> bool:
    return any(one.split == split for one in grades.questions)
