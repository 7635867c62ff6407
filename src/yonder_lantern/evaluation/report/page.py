"""A report as one HTML file that needs nothing from elsewhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from html import escape
from pathlib import Path

from ...settings import by_dotted_key
from ...text import visible
from ..failures import MEANS, next_step, side_by_side
from ..grading import ANSWERS, RETRIEVAL, WRITTEN, Grades, measure_named
from ..statistics import Difference
from .report import Report, ReportFigure, as_svg, figures_of

_STYLE = """
:root { color-scheme: light; --sea: #123c5c; --amber: #8f5a0b; --paper: #faf6ec; --ink: #22282d; }
body { background: var(--paper); color: var(--ink); font: 16px/1.5 Georgia, serif; margin: 0 auto;
  max-width: 78rem; padding: 2rem 1.5rem 4rem; }
h1, h2, caption, th { color: var(--sea); font-family: system-ui, sans-serif; }
h1 { font-size: 1.7rem; margin: 0; } h2 { font-size: 1.2rem; margin: 2.2rem 0 .6rem; }
table { border-collapse: collapse; font: 14px/1.4 system-ui, sans-serif; min-width: 44rem; }
caption { font-weight: 600; padding: .3rem 0; text-align: left; }
th, td { border-bottom: 1px solid #d9d2c0; padding: .25rem .6rem .25rem 0; text-align: left;
  vertical-align: top; } td.figure, th.figure { font-variant-numeric: tabular-nums;
  text-align: right; }
.figures { display: grid; gap: 1.5rem;
  grid-template-columns: repeat(auto-fit, minmax(26rem, 1fr)); }
figure { margin: 0; } figure.wide { grid-column: 1 / -1; }
figure svg { height: auto; width: 100%; } figcaption { font-size: .9rem; }
.better { color: #1d5a2d; } .worse { color: #9b1c1c; }
.cause { color: var(--amber); font-weight: 600; }
code { font-size: .85em; overflow-wrap: anywhere; }
details { margin: .3rem 0; } summary { cursor: pointer; }
.lead { color: #4d565c; margin-top: .2rem; }
@media print { body { max-width: none; padding: 0; } details { display: block; }
  figure, tr { break-inside: avoid; } }
"""


def write_report(report: Report, path: Path) -> None:
    """Write a report as one HTML file.

    Parameters
    ----------
    report : Report
    path : Path
    """
    figures = figures_of(report)
    parts = [
        _head(report),
        _measures(report),
        _figures(figures),
        _kinds(report.grades),
        _failures(report),
        _change(report),
        _questions(report.grades),
        _made_with(report.grades),
    ]
    title = f"{report.name}: grades"
    page = (
        "<!doctype html>\n<html lang='en'><head><meta charset='utf-8'>"
        "<meta name='viewport' content='width=device-width, initial-scale=1'>"
        "<meta http-equiv='Content-Security-Policy' content=\"default-src 'none'; "
        "style-src 'unsafe-inline'\">"
        f"<title>{_text(title)}</title><style>{_STYLE}</style></head><body><main>"
        f"{''.join(part for part in parts if part)}</main></body></html>\n"
    )
    path.write_text(page, encoding="utf-8")


def _text(value: object) -> str:
    return escape(visible(str(value)))


def _head(report: Report) -> str:
    grades = report.grades
    answerable = sum(one.answerable for one in grades.questions)
    besides = []
    if grades.left_out:
        besides.append(f"{grades.left_out} about documents that could not be read are left out")
    if grades.drafts:
        besides.append(f"{grades.drafts} drafts are not asked")
    told = f"; {'; '.join(besides)}" if besides else ""
    return (
        f"<h1>{_text(report.name)}</h1><p class='lead'>{len(grades.questions)} questions, "
        f"{answerable} of them answerable, as of {_text(grades.as_of[:10])}{told}. "
        "Means with 95 % intervals: Wilson's for shares, the bootstrap's for the rest.</p>"
    )


def _table(caption: str, heads: Sequence[str], rows: Iterable[Sequence[str]], figures: int) -> str:
    """A table whose first cells head their rows; from column ``figures`` on it holds numbers."""

    def cell(at: int, text: str) -> str:
        kind = " class='figure'" if at >= figures else ""
        return f"<th scope='row'>{text}</th>" if not at else f"<td{kind}>{text}</td>"

    named = "".join(
        f"<th scope='col'{' class=figure' if at >= figures else ''}>{_text(head)}</th>"
        for at, head in enumerate(heads)
    )
    body = "".join(
        f"<tr>{''.join(cell(at, text) for at, text in enumerate(row))}</tr>" for row in rows
    )
    return (
        f"<table><caption>{_text(caption)}</caption><thead><tr>{named}</tr></thead>"
        f"<tbody>{body}</tbody></table>"
    )


def _measures(report: Report) -> str:
    grades, earlier = report.grades, report.earlier
    rows = []
    for name in (*RETRIEVAL, "rbp", "judged@10", *ANSWERS, *WRITTEN):
        if not grades.tells(name):
            continue
        own, digits = grades.measure(name), measure_named(name).digits
        row = [
            _text(name),
            f"{own.mean:.{digits}f}",
            f"{own.low:.{digits}f} to {own.high:.{digits}f}",
            str(own.count),
        ]
        if grades.repeats:
            row.append(f"{grades.between_runs(name):.3f}")
        if earlier is not None:
            change = grades.against(earlier, name)
            row.append(_changed(name, change))
        rows.append(row)
    heads = ["measure", "mean", "95 % interval", "questions"]
    heads += ["deviation between runs"] if grades.repeats else []
    heads += ["change"] if earlier is not None else []
    return f"<h2>Measures</h2>{_table('Over all questions', heads, rows, 1)}"


def _changed(name: str, change: Difference) -> str:
    measure = measure_named(name)
    word = measure.conclusion(change)
    if not (change.is_shown and measure.judged):
        return word
    return f"<span class='{word}'>{word}, {_text(change)}</span>"


def _figures(figures: Sequence[ReportFigure]) -> str:
    shown = []
    for one in figures:
        wide = " class='wide'" if one.name == "questions" else ""
        label = f"{one.title}. {one.told}"
        svg = as_svg(one).replace(
            "<svg", f"<svg role='img' aria-label='{escape(label, quote=True)}'", 1
        )
        shown.append(
            f"<figure{wide}>{svg}<figcaption><b>{_text(one.title)}.</b> {_text(one.told)}"
            "</figcaption></figure>"
        )
    return f"<h2>Figures</h2><div class='figures'>{''.join(shown)}</div>"


def _kinds(grades: Grades) -> str:
    names = ("recall@5", "ndcg@10", "right", "answered wrongly", "excerpt holds it",
             "declined wrongly", "not answered rightly")  # fmt: skip
    rows = []
    for kind in dict.fromkeys(one.kind for one in grades.questions):
        asked = sum(one.kind == kind for one in grades.questions)
        cells = []
        for name in names:
            own = grades.measure(name, kind=kind)
            cells.append(f"{own.mean:.2f}" if own.count else "·")
        rows.append([_text(kind.replace("_", " ")), str(asked), *cells])
    return f"<h2>By kind of question</h2>{_table('Means', ['kind', 'asked', *names], rows, 1)}"


def _failures(report: Report) -> str:
    if not report.failures:
        return ""
    counts = Counter(one.cause for one in report.failures)
    shown = []
    for cause, count in counts.most_common():
        advice, command = next_step(cause)
        rows = []
        for one in report.failures:
            if one.cause is not cause:
                continue
            why = f"<code>{_text(one.why)}</code>" if one.why else ""
            rows.append([_text(one.id), _text(one.question), _text(one.detail), why])
        table = _table(f"{count} questions", ["id", "question", "seen", "see why"], rows, 9)
        shown.append(
            f"<details><summary><span class='cause'>{_text(cause.value)}</span>, {count}: "
            f"{_text(MEANS[cause])}. To try: {_text(advice)}, <code>{_text(command)}</code>"
            f"</summary>{table}</details>"
        )
    return f"<h2>Why questions were missed</h2>{''.join(shown)}"


def _change(report: Report) -> str:
    earlier, grades = report.earlier, report.grades
    if earlier is None:
        return ""
    sides = side_by_side(earlier, grades)
    told = {one.id: one.question for one in grades.questions}
    parts = []
    for word, ids in (("Won", sides.won), ("Lost", sides.lost)):
        listed = "".join(f"<li>{_text(id_)}: {_text(told[id_])}</li>" for id_ in ids)
        parts.append(f"<details><summary>{word}: {len(ids)}</summary><ul>{listed}</ul></details>")
    return f"<h2>Since {_text(earlier.id)}</h2>{''.join(parts)}<p>{sides.equal} as they were.</p>"


def _questions(grades: Grades) -> str:
    rows = [
        [
            _text(one.id),
            _text(one.kind),
            _text(one.question),
            _text(one.outcome),
            f"{one.support:.2f}",
            f"{one.ranking.value('recall@5'):.2f}" if one.ranking else "·",
        ]
        for one in grades.questions
    ]
    heads = ["id", "kind", "question", "outcome", "support", "recall@5"]
    table = _table(f"{len(rows)} questions", heads, rows, 4)
    return (
        f"<h2>Question by question</h2><details><summary>All questions</summary>{table}</details>"
    )


def _made_with(grades: Grades) -> str:
    rows = [[_text(name), _text(value)] for name, value in grades.versions.items()]
    rows += [["result", _text(grades.id)], ["seed", str(grades.seed)],
             ["question set", _text(grades.asked)]]  # fmt: skip
    rows += [[_text(key), _text(value)] for key, value in by_dotted_key(grades.settings).items()]
    table = _table("Versions and settings", ["what", "value"], rows, 9)
    return f"<h2>Made with</h2><details><summary>Versions and settings</summary>{table}</details>"
