"""What is said of an entity, in a terminal."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Sequence

from ...core import EntityCard, EntityPath, EntityStatement
from ...text import one_line
from .showing import counted, width
from .terminal import AMBER, SEA, displayed, echo, faint, style

_MOST = 40
_PLACES = 2  # where else the same is said
_EARLIER = 12
_GROUPS = 12
_MEMBERS = 6


def show_card(card: EntityCard) -> None:
    """Print an entity's card: what is said of it, where, and since when."""
    kind = faint(f"  {one_line(card.kind)}") if card.kind else ""
    echo(style(one_line(card.name), fg=SEA, bold=True) + kind)
    for name, why in card.also.items():
        echo(faint(f"also {one_line(name)}: {one_line(why)}"))
    echo()
    _show_all(card.says, lambda one: (one.relation, one.object))
    if card.named_in:
        echo()
        echo(style("Mentioned elsewhere", bold=True))
        _show_all(card.named_in, lambda one: (f"{one.subject}: {one.relation}", one.object))
    if card.noted:
        echo()
        echo(style("From notes (no document backs this)", bold=True))
        for one in card.noted[:_MOST]:
            _show(one, f"{one.subject}: {one.relation}", one.object)
    if card.earlier:
        echo()
        echo(style("Said earlier", bold=True))
        for one in card.earlier[:_EARLIER]:
            _show(one, one.relation, one.object, ended=True)


def _show_all(
    statements: Sequence[EntityStatement], saying: Callable[[EntityStatement], tuple[str, str]]
) -> None:
    """Print statements; what several documents say alike once, with the first places."""
    alike: dict[tuple[str, str, str, str], list[EntityStatement]] = {}
    for one in statements:
        alike.setdefault((*saying(one), one.valid_from, one.valid_until), []).append(one)
    for said in list(alike.values())[:_MOST]:
        _show(said[0], *saying(said[0]), also=said[1:])
    if len(alike) > _MOST:
        echo(faint(f"and {len(alike) - _MOST} more"))


def _show(
    one: EntityStatement,
    relation: str,
    value: str,
    *,
    ended: bool = False,
    also: Sequence[EntityStatement] = (),
) -> None:
    shown = displayed(one)
    label = style(one_line(relation), fg=AMBER)
    for number, line in enumerate(textwrap.wrap(one_line(value), width() - 6) or [""]):
        echo(f"  {label}: {line}" if not number else f"      {line}")
    dates = [f"from {shown.valid_from[:10]}"] if shown.valid_from else []
    dates += [f"until {shown.valid_until[:10]}"] if shown.valid_until else []
    dates += [f"withdrawn {shown.withdrawn[:10]}"] if ended and shown.withdrawn else []
    told = " · ".join([f"{shown.document}#{shown.start}", shown.way, *dates])
    echo(faint(f"      {told}"))
    for other in map(displayed, also[:_PLACES]):
        echo(faint(f"      {other.document}#{other.start} · {other.way}"))
    if len(also) > _PLACES:
        echo(faint(f"      and at {counted(len(also) - _PLACES, 'other place')}"))


def show_entities(found: Sequence[tuple[str, int]]) -> None:
    """Print the most-mentioned entities."""
    for name, count in found[:_MOST]:
        echo(f"{one_line(name):<60} {count:>5}")
    if len(found) > _MOST:
        echo(faint(f"and {counted(len(found) - _MOST, 'other')}"))


def show_paths(paths: Sequence[EntityPath]) -> None:
    """Print how two entities are connected: each statement, and what it shares with the next."""
    if not paths:
        echo("Nothing that is said connects the two.")
    for number, path in enumerate(paths):
        if number:
            echo()
        echo(style(" – ".join(map(one_line, path.names)), fg=SEA, bold=True))
        for one in path.statements:
            _show(one, f"{one_line(one.subject)}: {one.relation}", one.object)


def show_groups(groups: Sequence[Sequence[str]]) -> None:
    """Print groups of closely connected entities, the best connected of each first."""
    if not groups:
        echo("Nothing is said that connects three things or more.")
    for group in groups[:_GROUPS]:
        named = ", ".join(one_line(name) for name in group[:_MEMBERS])
        more = faint(f" and {len(group) - _MEMBERS} more") if len(group) > _MEMBERS else ""
        echo(f"{style(str(len(group)), fg=AMBER, bold=True):>3}  {named}{more}")
    if len(groups) > _GROUPS:
        echo(faint(f"and {counted(len(groups) - _GROUPS, 'smaller group')}"))
