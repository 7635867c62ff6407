"""``yonder tune``."""

from __future__ import annotations

import json
from pathlib import Path

import click

from ...evaluation.tuning import Tuned
from ..options import desk_options, example, open_desk
from ..showing import AMBER, faint, progress_shown


@click.command("tune", epilog=example("yonder tune\nyonder tune --out patch.toml"))
@click.option("--questions", metavar="FILE", help="A question set.  [default: grade.questions]")
@click.option("--out", metavar="FILE", help="Write the proposed settings there.")
@desk_options
def command(
    questions: str | None,
    out: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Fit how passages are ranked on the judged questions, and say what that gains.

    Nothing is changed. The settings that are proposed can be put into yonder.toml.
    Exit status 1 when none are better, beyond chance, than those there are.
    """
    desk = open_desk(folder, overrides)
    with progress_shown() as progress:
        tuned = desk.tune(questions, progress=progress)
    if out and tuned.better:
        Path(out).write_text(tuned.patch() + "\n", encoding="utf-8")
    if as_json:
        click.echo(json.dumps(_as_json(tuned), ensure_ascii=False))
    else:
        _show(tuned, out)
    return 0 if tuned.better else 1


def _show(tuned: Tuned, out: str | None) -> None:
    click.echo(
        f"Fitted on {tuned.questions} questions, each judged with weights fitted without it; "
        "nDCG@10, 95 % intervals"
    )
    click.echo()
    click.echo(f"{'as it is':<12}{tuned.old}")
    click.echo(f"{'fitted':<12}{tuned.new}")
    click.echo(f"{'gain':<12}{click.style(f'{tuned.gain}', fg=AMBER)}")
    if tuned.held:
        click.echo(f"{'held, gain':<12}{tuned.held}")
    click.echo()
    if not tuned.better:
        click.echo("That may be chance: nothing is proposed. More questions tell more.")
        return
    told = f"Written: {out}" if out else "Put into yonder.toml:"
    click.echo(f"Better, beyond chance. {told}")
    click.echo()
    for key, value in tuned.after.items():
        if value != tuned.before[key]:
            click.echo(f"  {key:<24}{tuned.before[key]:>6g} → {value:g}")
    click.echo()
    click.echo(faint(tuned.patch()))


def _as_json(tuned: Tuned) -> dict[str, object]:
    def interval(own: object) -> object:
        return None if own is None else {k: getattr(own, k) for k in ("mean", "low", "high")}

    return {
        "questions": tuned.questions,
        "before": dict(tuned.before),
        "after": dict(tuned.after),
        "old": interval(tuned.old),
        "new": interval(tuned.new),
        "gain": interval(tuned.gain),
        "held": interval(tuned.held),
        "better": tuned.better,
        "patch": tuned.patch(),
    }
