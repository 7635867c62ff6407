"""``yonder costs``."""

from __future__ import annotations

from collections import defaultdict

import click

from ....core import Money, Spent
from ....core.outgoing import MoneyOut, as_plain
from ..options import desk_options, example, open_desk
from ..terminal import displayed, echo, echo_json, faint


@click.command("costs", epilog=example("yonder costs"))
@desk_options
def command(
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """What models have cost, by day (UTC) and model."""
    desk = open_desk(folder, overrides)
    days: defaultdict[tuple[str, str, str], list[Spent]] = defaultdict(list)
    for entry in desk.costs.entries():
        days[entry.at[:10], entry.model, entry.cost.currency].append(entry)
    cost = {key: sum((one.cost for one in day_total), Money()) for key, day_total in days.items()}
    rows = [
        {
            "day": day,
            "model": model,
            "answers": len(day_total),
            "read": sum(one.tokens.read for one in day_total),
            "written": sum(one.tokens.written for one in day_total),
            "estimated": sum(one.tokens.estimated for one in day_total),
            **as_plain(MoneyOut.of(cost[day, model, currency])),
        }
        for (day, model, currency), day_total in sorted(days.items())
    ]
    if as_json:
        echo_json(rows)
        return 0
    if not rows:
        echo("Nothing has been spent: no model has been asked.")
        return 0
    wide = max(len("model"), *(len(str(row["model"])) for row in rows))
    head = f"{'day':<10}  {'model':<{wide}}  {'answers':>7}  {'read':>10}  {'written':>8}  cost"
    echo(faint(head))
    for row, key in zip(displayed(rows), sorted(days), strict=True):
        mark = faint(f"  ({row['estimated']} estimated)") if row["estimated"] else ""
        echo(
            f"{row['day']}  {row['model']:<{wide}}  {row['answers']:>7,}  {row['read']:>10,}  "
            f"{row['written']:>8,}  {cost[key]}{mark}"
        )
    return 0
