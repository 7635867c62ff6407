"""A dialogue as a drawing for colleagues: its steps and where each leads.

References
----------
W3C, Scalable Vector Graphics (SVG) 2.
"""

from __future__ import annotations

import textwrap
from xml.sax.saxutils import escape

from ..settings import END, DialogueSettings, StepSettings

_WIDTH, _GAP, _LINE, _PAD = 360, 52, 18, 14
_LEFT, _TOP = 40, 84
_LANE = 26  # between two ways that go round
_COLUMNS = 44  # characters of a line
_SEA, _AMBER, _INK, _QUIET, _PAPER = "#0d3b52", "#8a5200", "#1d2529", "#55626a", "#fbf8f1"


def drawn(dialogue: DialogueSettings) -> str:
    """A dialogue as an SVG picture, its steps from top to bottom.

    A step that asks has a solid frame, one that says something a dashed one; the way to the step
    below is straight, every other goes round at the right, its condition beside it.

    Parameters
    ----------
    dialogue : DialogueSettings

    Examples
    --------
    >>> step = StepSettings(name="length", ask="How long is it?", kind="number")
    >>> berth = DialogueSettings(name="berth", phrasings=("Book",), step=(step,))
    >>> "How long is it?" in drawn(berth)
    True
    """
    lines = {one.name: _lines(one) for one in dialogue.step}
    names = [*lines, END]
    top: dict[str, int] = {}
    y = _TOP
    for name in names:
        top[name] = y
        y += (len(lines[name]) if name in lines else 1) * _LINE + 2 * _PAD + _GAP
    parts = []
    lane = 0
    for at, step in enumerate(dialogue.step):
        parts.append(_box(step, lines[step.name], top[step.name]))
        bottom = top[step.name] + len(lines[step.name]) * _LINE + 2 * _PAD
        ways = [(one.step, one.when) for one in step.next]
        if not ways or all(when for _, when in ways):
            ways.append((names[at + 1], ""))
        for goal, when in ways:
            if goal == names[at + 1]:
                parts.append(_straight(bottom, top[goal], when))
            else:
                parts.append(_round(bottom, top[goal], when, lane, to_end=goal == END))
                lane += 1
    parts.append(_end(top[END]))
    begins = textwrap.shorten("” · “".join(dialogue.phrasings), 90, placeholder=" …")
    width = _LEFT + _WIDTH + 60 + lane * _LANE + 260
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{y}" role="img" '
        f'viewBox="0 0 {width} {y}" font-family="sans-serif" font-size="13">'
        f"<title>{escape(dialogue.name)}</title>"
        f'<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" '
        f'markerHeight="8" orient="auto"><path d="M0 0L8 4L0 8z" fill="{_QUIET}"/></marker></defs>'
        f'<rect width="100%" height="100%" fill="{_PAPER}"/>'
        f'<text x="{_LEFT}" y="32" font-size="18" fill="{_SEA}">{escape(dialogue.name)}</text>'
        f'<text x="{_LEFT}" y="56" fill="{_QUIET}">begins with: “{escape(begins)}”</text>'
        + "".join(parts)
        + "</svg>\n"
    )


def _lines(step: StepSettings) -> list[tuple[str, str]]:
    """What stands in a step's box, each line with its colour."""
    told = [(line, _INK) for line in textwrap.wrap(step.ask or step.say, _COLUMNS)]
    if step.look_ups:
        told = [(f"looks up {', '.join(step.look_ups)}", _AMBER), *told]
    if step.ask:
        wanted = " · ".join(step.choices) if step.choices else step.kind
        if step.least is not None or step.most is not None:
            low = "" if step.least is None else f"{step.least:g}"
            high = "" if step.most is None else f"{step.most:g}"
            wanted += f" {low} to {high}"
        asked = textwrap.wrap(f"→ {step.name}: {wanted}", _COLUMNS)
        told += [(line, _AMBER) for line in asked]
    return told


def _box(step: StepSettings, lines: list[tuple[str, str]], y: int) -> str:
    dashes = "" if step.ask else ' stroke-dasharray="5 4"'
    height = len(lines) * _LINE + 2 * _PAD
    texts = []
    for at, (line, colour) in enumerate(lines):
        base = y + _PAD + at * _LINE + 13
        texts.append(f'<text x="{_LEFT + _PAD}" y="{base}" fill="{colour}">{escape(line)}</text>')
    return (
        f'<rect x="{_LEFT}" y="{y}" width="{_WIDTH}" height="{height}" rx="4" fill="#fffdf8" '
        f'stroke="{_SEA}" stroke-width="1.5"{dashes}/>' + "".join(texts)
    )


def _straight(y: int, goal: int, when: str) -> str:
    x = _LEFT + _WIDTH // 2
    return (
        f'<path d="M{x} {y}V{goal}" stroke="{_QUIET}" fill="none" marker-end="url(#tip)"/>'
        + _condition(x + 8, (y + goal) // 2 + 4, when)
    )


def _round(y: int, goal: int, when: str, lane: int, *, to_end: bool) -> str:
    right = _LEFT + _WIDTH
    x = right + 40 + lane * _LANE
    start, stop = y - _PAD, goal + _PAD
    left = _LEFT + _WIDTH // 2 + _PAD if to_end else right
    return (
        f'<path d="M{right} {start}H{x}V{stop}H{left + 2}" stroke="{_QUIET}" fill="none" '
        f'marker-end="url(#tip)"/>' + _condition(x + 8, start + 18 + lane * _LINE, when)
    )


def _condition(x: int, y: int, when: str) -> str:
    return f'<text x="{x}" y="{y}" fill="{_QUIET}">{escape(when)}</text>' if when else ""


def _end(y: int) -> str:
    x = _LEFT + _WIDTH // 2
    return (
        f'<circle cx="{x}" cy="{y + _PAD}" r="{_PAD}" fill="{_SEA}"/>'
        f'<text x="{x}" y="{y + _PAD + 4}" fill="{_PAPER}" font-size="11" '
        f'text-anchor="middle">end</text>'
    )
