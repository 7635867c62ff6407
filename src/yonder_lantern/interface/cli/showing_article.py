"""A longer piece on the terminal: its sections, or its script, and what they rest on."""

from __future__ import annotations

import textwrap

from ...core import Article
from .showing import answer_text, counted, show_cited, what_it_took, width, with_marks
from .terminal import SEA, displayed, echo, faint, style


def show_article(article: Article, limit: int | None = None) -> None:
    """Print a piece, or its script where one was asked for, with at most ``limit`` citations."""
    shown = displayed(article)
    if not shown.sections:
        echo("The documents say too little of this to write about it.")
    elif shown.script:
        broad = max(len(line.voice) for line in shown.script) + 2
        for line in shown.script:
            marks = "".join(f" [{number}]" for number in line.citations)
            voice = style(f"{line.voice}:".ljust(broad), fg=SEA, bold=True)
            words = textwrap.wrap(f"{line.text}{marks}", max(30, width() - broad)) or [""]
            echo(voice + with_marks(f"\n{' ' * broad}".join(words)))
    else:
        echo(style(shown.title, bold=True))
        for section in shown.sections:
            echo()
            echo(style(section.heading, fg=SEA, bold=True))
            echo()
            echo(answer_text(section.text))
    show_cited(shown.citations, limit)
    if shown.left_out:
        echo()
        left = counted(len(shown.left_out), "section")
        echo(faint(f"{left} left out for want of evidence: {', '.join(shown.left_out)}"))
    echo()
    sure = [counted(len(shown.sections), "section")]
    if article.by:  # what stands in a document word for word is borne out by it
        sure.append(f"support {article.support:.2f}")
    sure += [] if article.likeness is None else [f"likeness {article.likeness:.2f}"]
    echo(what_it_took(article, *sure))
