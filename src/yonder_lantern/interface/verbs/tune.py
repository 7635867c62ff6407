"""``yonder tune``."""

from __future__ import annotations

import json
from pathlib import Path

import click

from ...desk import Desk
from ...evaluation.tuning import Tuned
from ...records import CallError
from ..options import desk_options, example, open_desk, until_interrupted
from ..showing import AMBER, faint, progress_shown


@click.command(
    "tune", epilog=example("yonder tune\nyonder tune --out patch.toml\nyonder tune --lexicon")
)
@click.option("--questions", metavar="FILE", help="A question set.  [default: grade.questions]")
@click.option(
    "--out",
    metavar="FILE",
    help="Write the proposed settings there; with --lexicon, the folder of that.",
)
@click.option(
    "--lexicon",
    is_flag=True,
    help="Fit the lexicon's words to the documents instead, by the encoder of embedding.model.",
)
@desk_options
def command(
    questions: str | None,
    out: str | None,
    lexicon: bool,
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
    if lexicon:
        if questions:
            raise CallError("the lexicon is fitted to the documents", "--questions", "leave it out")
        return _adapt(desk, out or "lexicon", as_json)
    with progress_shown() as progress:
        tuned = desk.tune(questions, progress=progress)
    if out and tuned.better:
        Path(out).write_text(tuned.patch() + "\n", encoding="utf-8")
    if as_json:
        click.echo(json.dumps(_as_json(tuned), ensure_ascii=False))
    else:
        _show(tuned, out)
    return 0 if tuned.better else 1


def _adapt(desk: Desk, out: str, as_json: bool) -> int:
    with progress_shown() as progress, until_interrupted() as cancel:
        adapted = desk.adapt_lexicon(out, progress=progress, cancel=cancel)
    own = adapted.outcome
    if as_json:
        found = {
            "folder": str(adapted.folder),
            "passages": own.passages,
            "sentences": own.sentences,
            "before": round(own.before, 4),
            "after": round(own.after, 4),
            "audience": adapted.label,
            "settings": adapted.settings,
        }
        click.echo(json.dumps(found, ensure_ascii=False))
        return 0
    click.echo(
        f"Fitted to {own.passages:,} passages and {own.sentences:,} of their sentences, "
        f"those for `{adapted.label}`"
    )
    click.echo(
        "Cosine with the encoder, of a tenth of them kept aside: "
        + click.style(f"{own.after:.3f}", fg=AMBER)
        + f"; it was {own.before:.3f}"
    )
    size = sum(path.stat().st_size for path in adapted.folder.iterdir())
    click.echo(f"Written: {adapted.folder} ({size / 1e6:.1f} MB)")
    click.echo()
    click.echo("Put into yonder.toml, and run `yonder gather`:")
    click.echo()
    click.echo(faint(adapted.settings))
    return 0


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
