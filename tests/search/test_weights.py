"""The weights of a ranking suit how long the documents are, and what is set counts as it stands."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from yonder_lantern import Desk, Query
from yonder_lantern.search import ranking_weights, shortness_of

MakeDesk = Callable[..., Desk]
SHORT = {f"note-{n}.md": f"Note {n}: the gate of quay {n} is shut.\n" for n in range(6)}
LONG = "\n\n".join(f"## Part {n}\n\n" + f"The lamp of berth {n} is lit. " * 60 for n in range(12))


def weights(desk: Desk, audience: list[str] | None = None) -> tuple[float, dict[str, float]]:
    snapshot = desk.snapshot()
    caller = desk.resolve(Query("which?", audience=audience)).caller
    seen = snapshot.visible_documents(caller, caller.at())
    found = ranking_weights(snapshot, desk.settings.find, shortness_of(snapshot, seen))
    return found.document_share, {k: v for k, v in found.features.items() if v}


def test_short_documents_and_long_ones_have_weights_of_their_own(make_desk: MakeDesk) -> None:
    short, long = make_desk(SHORT, name="short"), make_desk({"book.md": LONG}, name="long")
    short.gather()
    long.gather()
    share, features = weights(short)
    assert share == 0.6
    assert set(features) == {"coverage", "phrase", "opening", "asking"}
    share, features = weights(long)
    assert share == 0.1
    assert set(features) == {"coverage", "nearness", "phrase", "length", "asking"}


def test_what_is_set_counts_as_it_stands(make_desk: MakeDesk) -> None:
    settings = "[find]\ndocument_share = 0.3\n[find.weights]\nopening = 0.0\nlength = 0.4\n"
    desk = make_desk(SHORT, settings)
    desk.gather()
    share, features = weights(desk)
    assert share == 0.3
    assert "opening" not in features
    assert features["length"] == 0.4
    assert features["asking"] == -0.7  # what is left out suits the documents


def test_the_weights_of_a_search_tell_nothing_of_hidden_documents(make_desk: MakeDesk) -> None:
    settings = (
        '[[source]]\nname = "open"\nfolder = "documents/open"\n'
        '[[source]]\nname = "secret"\nfolder = "documents/secret"\naudience = ["crew"]\n'
    )
    files = {f"open/{key}": text for key, text in SHORT.items()} | {"secret/book.md": LONG}
    desk = make_desk(files, settings)
    desk.gather()
    assert weights(desk, ["public"])[0] == 0.6
    assert weights(desk, ["crew", "public"])[0] < 0.6


def test_support_is_the_same_whatever_ranked(make_desk: MakeDesk) -> None:
    desk = make_desk(SHORT)
    desk.gather()
    other = Desk.open(
        desk.folder, settings={"find.weights.coverage": 1.5, "find.document_share": 0.0}
    )
    question = "Is the gate of quay 4 shut?"
    plain, ranked = desk.search(question), other.search(question)
    assert plain.hits[0].document == ranked.hits[0].document
    assert plain.hits[0].score != ranked.hits[0].score
    assert plain.strength == pytest.approx(ranked.strength)


def test_an_empty_index_has_no_shape(make_desk: MakeDesk) -> None:
    desk = make_desk({"one.md": "A lamp.\n"})
    desk.gather()
    assert shortness_of(desk.snapshot(), np.zeros(1, dtype=bool)) == 0.0


def test_why_not_accounts_for_the_best_passage_of_a_document(make_desk: MakeDesk) -> None:
    desk = make_desk({"book.md": LONG, **SHORT})
    desk.gather()
    told = desk.explain("Which berth has the lamp of part 9?", "documents/book.md")
    assert "berth 9" in told.text
    first = desk.explain("Which berth has the lamp of part 9?", "documents/book.md#0")
    assert first.start == 0
    assert told.breakdown.score > first.breakdown.score


def test_a_misspelt_word_is_never_read_as_a_part_of_an_identifier(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {"code.md": "Set lock_rotatex before the lamp is lit.\n", "a.md": "The rotor.\n"}
    )
    desk.gather()
    assert not desk.search("How do I rotatez it?").read_as
    plain = make_desk({"b.md": "Boats rotate at the buoy.\n"}, name="plain")
    plain.gather()
    assert plain.search("How do they rotatte?").read_as == {"rotatte": "rotate"}
