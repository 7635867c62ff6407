"""``yonder find``."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from ....core import CallError, Query, QueryParts, Stage
from ..options import desk_options, example, open_desk, query_options
from ..showing_hits import show_explanation, show_result
from ..terminal import echo_json


@click.command(
    "find",
    epilog=example(
        'yonder find "What does a visiting yacht pay?" --why --limit 3\n'
        'yonder find "slipway closed" --where "source = \'notices\'"\n'
        "yonder find --similar-to tariffs/tariff-2026.md\n"
        'yonder find "tide gauge" --why-not notices/2026-07.md'
    ),
)
@click.argument("question", default="")
@click.option(
    "--limit",
    type=int,
    metavar="N",
    help="Return at most this many passages.  [default: find.limit]",
)
@click.option(
    "--why", is_flag=True, help="Show how each score came about: stages, features and terms."
)
@click.option(
    "--why-not",
    metavar="PASSAGE",
    help="Explain the rank of this passage, found or not: a document's id, or DOCUMENT#OFFSET.",
)
@click.option(
    "--stage",
    type=click.Choice(["both", "lexical", "vector"]),
    default="both",
    help="Use one stage alone, with its own scores.",
)
@click.option(
    "--similar-to",
    metavar="PASSAGE",
    default="",
    help="Find passages similar in meaning to this one.",
)
@click.option(
    "--vector",
    metavar="FILE",
    help="Use this vector (.npy) instead of the question's own.",
)
@query_options
@desk_options
def command(
    question: str,
    limit: int | None,
    why: bool,
    why_not: str | None,
    stage: Stage,
    similar_to: str,
    vector: str | None,
    parts: QueryParts,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """The passages found for QUESTION, best first. Exit status 1 when there are none."""
    desk = open_desk(folder, overrides)
    desk.check_audience(parts.get("audience") or ())
    query = Query(
        question,
        limit=limit,
        stage="vector" if similar_to else stage,
        similar_to=similar_to,
        vector=_read_vector(vector) if vector else None,
    ).with_parts(parts)
    if why_not:
        told = desk.explain(query, why_not)
        if as_json:
            from ....core.outgoing import ExplanationOut, as_plain

            echo_json(as_plain(ExplanationOut.of(told)))
        else:
            show_explanation(told, desk.settings.find.limit if limit is None else limit)
        return 0
    result = desk.search(query)
    if as_json:
        from ....core.outgoing import SearchOut, as_plain

        echo_json(as_plain(SearchOut.of(question, result)))
        return 0 if result.hits else 1
    show_result(result, why=why)
    return 0 if result.hits else 1


def _read_vector(path: str) -> Any:
    import numpy as np

    try:
        return np.load(Path(path), allow_pickle=False).ravel()
    except (ValueError, EOFError):
        raise CallError("it holds no vector", path, "write one with numpy.save") from None
