"""A comparison in a terminal."""

from __future__ import annotations

import textwrap

from ...evaluation import COMPARED, Comparison, format_figure, measure_named
from ...text import one_line
from .showing import counted, width
from .showing_grades import said_of
from .terminal import AMBER, RED, echo, faint, style


def show_comparison(found: Comparison) -> None:
    """Print the table by measure, what may be concluded, trade-offs and what is proposed."""
    asked = len(found.baseline.questions)
    echo(
        f"{counted(asked, 'question')}, {counted(len(found.compared) + 1, 'setting')}, "
        f"{found.seconds:.0f} s; differences from the current settings, with 95 % intervals"
    )
    for one in found.results:
        if one.problem:
            told = f"{one_line(one.variant.name)} could not be gathered: {one_line(one.problem)}"
            echo(style(told, fg=RED))
    if found.stopped:
        echo(style(f"Stopped: {found.stopped}; the figures are of {asked} questions.", fg=RED))
    if found.left_out or found.drafts:
        echo(f"Not asked: {found.left_out} about documents that could not be read, "
             f"{counted(found.drafts, 'draft')}.")  # fmt: skip
    for measure in dict.fromkeys((found.by, *COMPARED)):
        _measure(found, measure)
    _kinds(found)
    echo()
    best = ", ".join(map(one_line, found.trade_offs()))
    told = f"Best trade-offs of {found.by} and time: {best}"
    echo(textwrap.fill(told, width(), subsequent_indent="  "))
    echo()
    echo(textwrap.fill(one_line(found.grounds()), width()))
    if found.best:
        echo()
        echo("Add to yonder.toml:")
        echo()
        echo(faint(found.patch()))


def _measure(found: Comparison, measure: str) -> None:
    own = found.baseline.measure(measure)
    named = measure_named(measure)
    if not own.count or (named.of_models and not found.price):
        return
    decides = "  decides" if measure == found.by else ""
    lower = ", lower is better" if named.lower_is_better else ""
    echo()
    echo(f"{style(measure, bold=True)}{faint(f'{lower}{decides}')}")
    digits = named.digits
    wide = 2 + max(len(one_line(one.variant.name)) for one in found.results)
    echo(f"  {one_line(found.results[0].variant.name):<{wide}}{own.mean:>8.{digits}f}")
    differences = found.differences(measure)
    for one in found.compared:
        name = one.variant.name
        assert one.grades is not None
        change = differences[name]
        mean = one.grades.measure(measure).mean
        gap, low, high = (
            format_figure(value, digits, "+") for value in (change.mean, change.low, change.high)
        )
        interval = f"{gap} [{low}, {high}]"
        told = said_of(measure, change)
        dropped = f" (given up after {one.dropped_after})" if one.dropped_after else ""
        echo(f"  {one_line(name):<{wide}}{mean:>8.{digits}f}  {interval:<28}{told}{dropped}")


def _kinds(found: Comparison) -> None:
    """Kinds of question for which a setting is shown to be better or worse by what decides."""
    lines = []
    for kind in found.kinds():
        for name, change in found.differences(found.by, kind=kind).items():
            if change.count and change.is_shown:
                said = measure_named(found.by).conclusion(change)
                lines.append(f"  {kind}: {name} is {said}, {change}")
    if lines:
        echo()
        echo(f"By kind, {found.by}:")
        for line in lines:
            echo(style(one_line(line), fg=AMBER))
