"""``yonder tune``."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from ....evaluation import Difference, FittedThreshold, Interval, Tuned, TunedReading
from ..options import desk_options, example, open_desk, questions_option
from ..progress import progress_shown
from ..terminal import AMBER, echo, echo_json, faint, style


@click.command(
    "tune",
    epilog=example(
        "yonder tune\nyonder tune --out patch.toml\n"
        "yonder tune --threshold --max-error-rate 0.1\nyonder tune --reading"
    ),
)
@questions_option
@click.option(
    "--out",
    metavar="FILE",
    help="Write the proposed settings to this file; with --reading, the adaptation to this folder.",
)
@click.option(
    "--reading",
    is_flag=True,
    help="Fit the reading model to the judged questions: how they move to find what they should.",
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
    reading: bool,
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
    if reading:
        with progress_shown() as progress:
            read = desk.tune_reading(out or "reading", questions, progress=progress)
        if as_json:
            echo_json(_read_as_json(read))
        else:
            _show_read(read)
        return 0 if read.better else 1
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


def _show_threshold(fitted: FittedThreshold, out: str | None) -> None:
    goal = f"At most {fitted.max_error_rate:.0%} of the answers given may be wrong"
    echo(f"{goal}: fitted on the split `fit`, measured on `test`; 95 % intervals")
    echo()
    before, after = fitted.before, fitted.after
    heads = (f"current, {before.min_support:g}", f"fitted, {after.min_support:g}", "on `fit`")
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


def _show_gain(tuned: Tuned | TunedReading) -> None:
    echo(f"Fitted on {tuned.questions} questions, cross-validated; nDCG@10 with 95 % intervals")
    echo()
    echo(f"{'current':<12}{tuned.old}")
    echo(f"{'fitted':<12}{tuned.new}")
    echo(f"{'gain':<12}{style(f'{tuned.gain}, p = {tuned.gain.p:.3g}', fg=AMBER)}")
    if tuned.test:
        echo(f"{'gain, test':<12}{tuned.test}, p = {tuned.test.p:.3g}")
    echo()
    if not tuned.better:
        echo("No significant improvement, so nothing is proposed. More questions give more power.")
        return
    confirmed = tuned.test is None or tuned.test.is_gain
    shown = "" if confirmed else ", which the test split does not confirm"
    echo(f"A significant improvement in cross-validation{shown}.")


def _show(tuned: Tuned, out: str | None) -> None:
    _show_gain(tuned)
    if not tuned.better:
        return
    echo(f"Written: {out}" if out else "Add to yonder.toml:")
    echo()
    for key, value in tuned.after.items():
        if value != tuned.before[key]:
            echo(f"  {key:<24}{tuned.before[key]:>6g} → {value:g}")
    echo()
    echo(faint(tuned.patch()))


def _show_read(tuned: TunedReading) -> None:
    _show_gain(tuned)
    if tuned.better:
        echo(f"Written: {tuned.folder}. Add to yonder.toml:")
        echo()
        echo(faint(tuned.patch()))


def _interval(value: Interval) -> dict[str, float]:
    return {"mean": value.mean, "low": value.low, "high": value.high}


def _difference(value: Difference | None) -> dict[str, float] | None:
    if value is None:
        return None
    return {"mean": value.mean, "low": value.low, "high": value.high, "p": value.p}


def _gain_as_json(tuned: Tuned | TunedReading) -> dict[str, object]:
    return {
        "questions": tuned.questions,
        "old": _interval(tuned.old),
        "new": _interval(tuned.new),
        "gain": _difference(tuned.gain),
        "test": _difference(tuned.test),
        "better": tuned.better,
        "patch": tuned.patch(),
    }


def _as_json(tuned: Tuned) -> dict[str, object]:
    return {**_gain_as_json(tuned), "before": dict(tuned.before), "after": dict(tuned.after)}


def _read_as_json(tuned: TunedReading) -> dict[str, object]:
    return {**_gain_as_json(tuned), "folder": str(tuned.folder)}
