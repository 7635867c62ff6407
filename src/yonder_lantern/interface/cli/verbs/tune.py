"""``yonder tune``."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from ....core import CallError
from ....desk import Desk
from ....evaluation import FittedThreshold, Tuned
from ..options import desk_options, example, open_desk, questions_option, until_interrupted
from ..progress import progress_shown
from ..terminal import AMBER, echo, echo_json, faint, style


@click.command(
    "tune",
    epilog=example(
        "yonder tune\nyonder tune --out patch.toml\nyonder tune --threshold --max-error-rate 0.1"
    ),
)
@questions_option
@click.option(
    "--out",
    metavar="FILE",
    help="Write the proposed settings to this file; with --lexicon, the lexicon to this folder.",
)
@click.option(
    "--lexicon",
    is_flag=True,
    help="Fit the lexicon to the documents, using the encoder in embedding.model.",
)
@click.option(
    "--threshold",
    is_flag=True,
    help="Fit answer.min_support, the support from which an answer is given.",
)
@click.option(
    "--max-error-rate",
    type=float,
    default=0.2,
    show_default=True,
    metavar="SHARE",
    help="With --threshold: the share of answers given that may be wrong.",
)
@desk_options
def command(
    questions: str | None,
    out: str | None,
    lexicon: bool,
    threshold: bool,
    max_error_rate: float,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """Fit how passages are ranked on the judged questions, and say what that gains.

    Nothing is changed. The settings that are proposed can be put into yonder.toml.
    Exit status 1 when there is no significant improvement; with --threshold, when no
    threshold meets the share.
    """
    desk = open_desk(folder, overrides)
    if lexicon:
        if questions:
            raise CallError("the lexicon is fitted to the documents", "--questions", "leave it out")
        return _adapt(desk, out or "lexicon", as_json)
    if threshold:
        with progress_shown() as progress:
            fitted = desk.tune_threshold(max_error_rate, questions, progress=progress)
        if out:
            Path(out).write_text(fitted.patch() + "\n", encoding="utf-8")
        if as_json:
            echo_json({**asdict(fitted), "patch": fitted.patch()})
        else:
            _show_threshold(fitted, out)
        return 0 if fitted.reached else 1
    with progress_shown() as progress:
        tuned = desk.tune(questions, progress=progress)
    if out and tuned.better:
        Path(out).write_text(tuned.patch() + "\n", encoding="utf-8")
    if as_json:
        echo_json(_as_json(tuned))
    else:
        _show(tuned, out)
    return 0 if tuned.better else 1


def _adapt(desk: Desk, out: str, as_json: bool) -> int:
    with progress_shown() as progress, until_interrupted() as cancel:
        adapted = desk.adapt_lexicon(out, progress=progress, cancel=cancel)
    outcome = adapted.outcome
    if as_json:
        found = {
            "folder": str(adapted.folder),
            "passages": outcome.passages,
            "sentences": outcome.sentences,
            "before": round(outcome.before, 4),
            "after": round(outcome.after, 4),
            "audience": adapted.label,
            "settings": adapted.settings,
        }
        echo_json(found)
        return 0
    echo(
        f"Fitted to {outcome.passages:,} passages and {outcome.sentences:,} of their sentences, "
        f"those for `{adapted.label}`"
    )
    echo(
        "Cosine with the encoder, of a tenth of them kept aside: "
        + style(f"{outcome.after:.3f}", fg=AMBER)
        + f"; it was {outcome.before:.3f}"
    )
    size = sum(path.stat().st_size for path in adapted.folder.iterdir())
    echo(f"Written: {adapted.folder} ({size / 1e6:.1f} MB)")
    echo()
    echo("Add to yonder.toml, then run `yonder gather`:")
    echo()
    echo(faint(adapted.settings))
    return 0


def _show_threshold(fitted: FittedThreshold, out: str | None) -> None:
    goal = f"At most {fitted.max_error_rate:.0%} of the answers given may be wrong"
    echo(f"{goal}: fitted on the split `fit`, measured on `test`; 95 % intervals")
    echo()
    before, after = fitted.before, fitted.after
    heads = (f"as it is, {before.min_support:g}", f"fitted, {after.min_support:g}", "on `fit`")
    echo(faint(f"{'':<34}" + "".join(f"{head:<24}" for head in heads).rstrip()))
    for name, told in (
        ("wrong", "of the answers given, wrong"),
        ("right", "of answerable, answered rightly"),
        ("excerpt_holds", "of answerable, excerpt holds it"),
        ("not_answered", "of answerable, not answered"),
        ("not_answered_rightly", "of unanswerable, not answered"),
    ):
        cells = [str(getattr(effect, name)) for effect in (before, after, fitted.fit)]
        line = f"{told:<34}" + "".join(f"{cell:<24}" for cell in cells)
        echo(style(line.rstrip(), fg=AMBER if name == "wrong" else None))
    echo()
    if not fitted.reached:
        echo("No threshold meets that on the fit questions; this one comes closest.")
    echo(f"Written: {out}" if out else "Add to yonder.toml:")
    echo()
    echo(faint(fitted.patch()))


def _show(tuned: Tuned, out: str | None) -> None:
    echo(f"Fitted on {tuned.questions} questions, cross-validated; nDCG@10 with 95 % intervals")
    echo()
    echo(f"{'as it is':<12}{tuned.old}")
    echo(f"{'fitted':<12}{tuned.new}")
    echo(f"{'gain':<12}{style(f'{tuned.gain}', fg=AMBER)}")
    if tuned.test:
        echo(f"{'gain, test':<12}{tuned.test}")
    echo()
    if not tuned.better:
        echo("No significant improvement, so nothing is proposed. More questions give more power.")
        return
    told = f"Written: {out}" if out else "Add to yonder.toml:"
    shown = (
        ""
        if tuned.test is None or tuned.test.low > 0
        else ", which the test split does not confirm"
    )
    echo(f"A significant improvement in cross-validation{shown}. {told}")
    echo()
    for key, value in tuned.after.items():
        if value != tuned.before[key]:
            echo(f"  {key:<24}{tuned.before[key]:>6g} → {value:g}")
    echo()
    echo(faint(tuned.patch()))


def _as_json(tuned: Tuned) -> dict[str, object]:
    def interval(value: object) -> object:
        return None if value is None else {k: getattr(value, k) for k in ("mean", "low", "high")}

    return {
        "questions": tuned.questions,
        "before": dict(tuned.before),
        "after": dict(tuned.after),
        "old": interval(tuned.old),
        "new": interval(tuned.new),
        "gain": interval(tuned.gain),
        "test": interval(tuned.test),
        "better": tuned.better,
        "patch": tuned.patch(),
    }
