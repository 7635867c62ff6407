"""Nothing that is shown can act on a terminal, wherever it comes from."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import call_yonder
from yonder_lantern import Desk
from yonder_lantern.interface.cli import terminal
from yonder_lantern.text import one_line, visible

MakeDesk = Callable[..., Desk]
EVIL = "\x1b]52;c;ZXZpbA==\x07\x1b[2J\x9b31m\x08\x7f\u202e"
OURS = re.compile(r"\x1b\[[0-9;]*m")
ACTING = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


@given(st.text())
def test_a_visible_text_holds_no_control(text: str) -> None:
    assert not ACTING.search(visible(text))
    assert "\n" not in one_line(text)
    assert visible(visible(text)) == visible(text)
    plain = [c for c in text if not ACTING.match(c) and c not in "\u2028\u2029"]
    assert all(c in visible(text) for c in plain)


@given(st.text(), st.text())
def test_only_our_own_styles_become_controls(text: str, other: str) -> None:
    written = terminal.written(text + terminal.style(other, fg=terminal.AMBER, bold=True))
    assert not ACTING.search(OURS.sub("", written))
    assert len(OURS.findall(written)) == (2 if other else 0)


def test_escapes_from_documents_names_and_titles_come_out_visible(
    make_desk: MakeDesk,
) -> None:
    yonder = call_yonder
    desk = make_desk(
        {
            f"quay{EVIL}.md": f"# The quay{EVIL}\n\nThe quay{EVIL} closes at 22:00."
            + " It is long." * 60,
            "line\nError: no index.md": "# Slip\nError: forged\n\nThe slip is free of charge.",
            "front.md": f'---\ntitle: "A{EVIL!r}"\ntopic: "x"\n---\n\nA pier is long.',
            f"odd{EVIL}.xyz": "nothing reads it",
        },
        f'[desk]\nname = "Harbour"\n[find.glossary]\n"Q{chr(7)}" = "quay"\n'.replace(
            chr(7), "\\u0007"
        ),
    )
    folder = desk.folder
    for arguments in (
        ["gather"],
        ["gather", "--rebuild", "--json"],
        ["check"],
        ["look"],
        ["look", "--documents"],
        ["look", "--metadata"],
        ["look", "--random", "9"],
        ["look", "--outline", "documents/front.md"],
        ["find", "quay closes", "--why"],
        ["find", "quay closes", "--json"],
        ["find", f"quay{EVIL} closes"],
        ["find", "slip", "--why-not", "documents/line\nError: no index.md"],
        ["ask", "When does the quay close?"],
        ["ask", "When does the quay close?", "--json"],
        ["ask", "Is the slip free of charge?"],
        ["trace", "--last"],
        ["trace", "--last", "--json"],
        ["look", f"no-such{EVIL}"],
        ["find", "x", "--where", f"{EVIL} = 1"],
    ):
        ran = yonder(*arguments, cwd=folder)
        for stream in (ran.out, ran.err):
            assert not ACTING.search(stream), (arguments, ACTING.search(stream))
            forged = [line for line in stream.splitlines() if line.startswith("Error: no index")]
            assert forged == [], arguments
    assert "\u241b" in yonder("find", "quay closes", cwd=folder).out  # it is shown, not dropped


def test_a_scroll_breaks_no_word_and_takes_back_what_does_not_hold(
    capsys: pytest.CaptureFixture[str],
) -> None:
    scroll = terminal.Scroll(columns=20, rows=24)
    for piece in ("The qu", "ay clo", "ses at 22:", "00. The harb", "our cat is 93."):
        scroll.write(piece)
    raw = "The quay closes at 22:00. "
    scroll.settle(raw, "The quay closes at 22:00. [1] ")
    scroll.settle("The harbour cat is 93.", "The harbour cat is 93.", struck=True)
    scroll.end()
    out = capsys.readouterr().out
    assert "\x1b[9;" in out
    shown = re.sub(r"\x1b\[[0-9;]*[mACJ]|\r", "", out)
    for line in shown.split("\n"):
        assert len(line) <= 20 * 4
    for word in ("quay", "closes", "harbour"):
        assert word in shown
    assert "clo\nses" not in shown
