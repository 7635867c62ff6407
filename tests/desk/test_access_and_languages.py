"""Permissions, audiences and languages, through the public calls."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import write_files
from yonder_lantern import Desk
from yonder_lantern.core import NothingGatheredError
from yonder_lantern.text import Analyser

MakeDesk = Callable[..., Desk]

AS_ANOTHER_USER = """
import os, sys
from yonder_lantern import Desk
desk = Desk.open(sys.argv[1])
desk.gather()  # as root: loads what the other user may not
for folder, names, files in os.walk(sys.argv[1]):
    for name in [folder, *(os.path.join(folder, f) for f in files)]:
        os.chown(name, 65534, 65534)
os.chmod(sys.argv[1] + "/documents/shut", 0)
os.chmod(sys.argv[1] + "/documents/closed.md", 0)
os.utime(sys.argv[1] + "/documents/closed.md")
os.setgroups([]); os.setgid(65534); os.setuid(65534)
report = desk.gather()
for problem in report.problems:
    print(problem.item, "|", problem.reason, "|", problem.remedy)
print(report.removed, report.failed, len(desk.find("harbour tide", limit=9)))
"""


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become another user")
def test_what_may_not_be_read_is_reported_and_its_documents_are_kept(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    desk = make_desk(
        {
            "open.md": "The harbour has a tide.",
            "closed.md": "The harbour tide rises.",
            "shut/in.md": "The harbour tide falls.",
        }
    )
    for folder in [tmp_path, *tmp_path.parents]:
        if folder == Path("/tmp"):
            break
        folder.chmod(0o755)
    done = subprocess.run(
        [sys.executable, "-c", AS_ANOTHER_USER, str(desk.folder)], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    assert any(line.startswith("documents/closed.md | Permission denied") for line in lines)
    assert any(line.startswith("documents/shut/ | Permission denied") for line in lines)
    assert lines[-1] == "0 2 3"


def test_a_document_narrows_its_sources_audience_and_never_widens_it(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {},
        '[[source]]\nname = "papers"\nfolder = "documents"\naudience = ["crew", "board"]',
    )
    write_files(
        desk.folder / "documents",
        {
            "both.md": "The rota has three watches.",
            "board.md": "---\naudience: board\n---\nThe rota costs money.",
            "wide.md": "---\naudience: [crew, public]\n---\nThe rota is on the wall.",
        },
    )
    assert desk.gather().failed == 0

    def seen(*audience: str) -> set[str]:
        return {hit.document[7:-3] for hit in desk.find("rota", audience=audience)}

    assert seen("crew") == {"both", "wide"}
    assert seen("board") == {"both", "board"}
    assert seen("crew", "board") == {"both", "board", "wide"}
    assert seen("public") == set()
    assert {hit.document[7:-3] for hit in desk.find("rota")} == {"both", "board", "wide"}


def test_an_audience_changed_in_the_settings_takes_effect_at_the_next_gather(
    make_desk: MakeDesk,
) -> None:
    desk = make_desk({"a.md": "The rota has three watches."})
    desk.gather()
    assert desk.find("rota", audience=["public"])
    settings = '[[source]]\nname = "documents"\naudience = ["crew"]'
    (desk.folder / "yonder.toml").write_text(settings)
    changed = Desk.open(desk.folder)
    assert changed.gather().changed == 1
    assert changed.find("rota", audience=["public"]) == []
    assert changed.find("rota", audience=["crew"])


def test_vectors_forget_what_is_no_longer_for_everyone(make_desk: MakeDesk) -> None:
    public = {
        f"{n}.md": f"The {a} lies at the {b} quay, as the {a} must."
        for n, (a, b) in enumerate(
            [("tug", "north"), ("ferry", "south"), ("yacht", "north"), ("barge", "south")] * 6
        )
    }
    secret = {f"secret-{n}.md": f"Treasure {n} lies at the north quay." for n in range(2)}
    desk = make_desk({**public, **secret}, name="narrowed")
    desk.gather()
    before = desk.snapshot().manifest.embedding
    two = '[[source]]\nname = "documents"\naudience = ["public", "board"]'
    (desk.folder / "yonder.toml").write_text(two)
    for key, text in secret.items():
        path = desk.folder / "documents" / key
        path.write_text(f"---\naudience: board\n---\n{text}")
    narrowed = Desk.open(
        desk.folder, settings={"embedding.retrain_at": 1.0, "reading.vectors": "off"}
    )
    assert narrowed.gather().embedding == "trained"
    alone = make_desk(dict(public), name="alone")
    alone.gather()
    after, expected = (one.snapshot().manifest.embedding for one in (narrowed, alone))
    assert before is not None
    assert after is not None
    assert expected is not None
    assert before.hash != after.hash
    assert after.passages == expected.passages
    hits = narrowed.find("treasure at the quay", audience=["public"])
    assert [(h.document, round(h.score, 6)) for h in hits] == [
        (h.document, round(h.score, 6)) for h in alone.find("treasure at the quay")
    ]


def test_a_narrowed_audience_holds_for_documents_that_cannot_be_read_any_more(
    make_desk: MakeDesk,
) -> None:
    desk = make_desk({"a.md": "The rota has watches.", "b.md": "The rota is on the wall."})
    desk.gather()
    (desk.folder / "documents" / "a.md").write_bytes(b"\x00")
    (desk.folder / "yonder.toml").write_text('[[source]]\nname = "documents"\naudience = ["crew"]')
    report = Desk.open(desk.folder).gather()
    assert "taken out" in report.problems[0].reason
    assert Desk.open(desk.folder).find("rota", audience=["public"]) == []
    assert len(Desk.open(desk.folder).find("rota", audience=["crew"])) == 1
    (desk.folder / "documents" / "a.md").unlink()
    (desk.folder / "documents" / "b.md").unlink()
    (desk.folder / "yonder.toml").write_text('[[source]]\nname = "documents"\naudience = ["board"]')
    assert Desk.open(desk.folder).gather().removed == 1
    with pytest.raises(NothingGatheredError):
        Desk.open(desk.folder).find("rota")


GERMAN = (
    "# Liegeplätze\n\nDie Liegeplätze werden von der Hafenverwaltung für ein Jahr vergeben. "
    "Ein Boot darf nicht ohne Erlaubnis an einem anderen Platz liegen.\n"
)
FRENCH = (
    "# Postes d'amarrage\n\nLes bateaux de passage paient une taxe pour chaque nuit. "
    "La capitainerie est ouverte tous les jours de huit heures à vingt heures.\n"
)
ENGLISH = (
    "# Berths\n\nThe berths are let by the year. A boat may not lie in a place that is not hers "
    "without the consent of the office.\n"
)


HAFEN = (
    "# Sportboothafen\n\nDie Tankstelle öffnet um acht Uhr. Ein Liegeplatz kostet 24 Kronen für "
    "eine Nacht.\n\nDas Becken ist 2,4 Meter tief. Im Becken liegen zweiunddreißig Boote.\n\n"
    "Ein Angebot für einen Liegeplatz gilt drei Wochen. Eine Erlaubnis gilt ein Jahr.\n"
)
PORT = (
    "# Port de plaisance\n\nLa capitainerie ouvre à huit heures. Une nuit au ponton coûte 18 "
    "couronnes.\n\nL'écluse de l'avant-port est large. La profondeur du bassin est de 3 mètres. "
    "Une visite guidée dure deux heures.\n"
)


@pytest.mark.parametrize(
    ("question", "said"),
    [
        ("Wann öffnet die Tankstelle?", "um acht Uhr"),
        ("Was kostet ein Liegeplatz für eine Nacht?", "24 Kronen"),
        ("Wie tief ist das Becken?", "2,4 Meter"),
        ("Wie viele Boote liegen im Becken?", "zweiunddreißig"),
        ("Wie lange gilt ein Angebot?", "drei Wochen"),
        ("Wie lange gilt eine Erlaubnis?", "ein Jahr"),
        ("Quand ouvre la capitainerie ?", "à huit heures"),
        ("Combien coûte une nuit ?", "18 couronnes"),
        ("Quelle est la profondeur du bassin ?", "3 mètres"),
        ("Combien de temps dure une visite guidée ?", "deux heures"),
        ("Wer ist der Hafenmeister?", None),
        ("Combien coûte une voile ?", None),
    ],
)
def test_questions_are_answered_in_german_and_french(
    make_desk: MakeDesk, question: str, said: str | None
) -> None:
    desk = make_desk({"hafen.md": HAFEN, "port.md": PORT})
    desk.gather()
    answer = desk.ask(question)
    assert answer.declined is (said is None)
    assert answer.read_as == {}
    assert said is None or said in answer.statements[0].text


def test_what_is_elided_before_a_word_is_no_word() -> None:
    assert Analyser("fr").terms("l'écluse d’aval, qu'il n'est") == ["éclus", "aval"]
    assert Analyser("fr").terms("l'E14") == Analyser("fr").terms("E14")
    assert Analyser("it").terms("dell'acqua, un'ora") == ["acqua", "ora"]
    assert Analyser("en").terms("o'clock") == ["o", "clock"]


def test_each_document_is_searched_in_its_own_language(make_desk: MakeDesk) -> None:
    desk = make_desk({"de.md": GERMAN, "fr.md": FRENCH, "en.md": ENGLISH})
    desk.gather()
    assert desk.snapshot().manifest.languages == ["de", "en", "fr"]
    for question, document in (
        ("Wer vergibt einen Liegeplatz für das Jahr?", "de"),
        ("Quelle taxe les bateaux doivent-ils payer par nuit ?", "fr"),
        ("Who lets the berth by the year?", "en"),
        ("Hafenverwaltung", "de"),
    ):
        assert desk.find(question)[0].document == f"documents/{document}.md"
    opening = Desk.open(desk.folder, settings={"answer.min_support": 0}).ask(
        "Quand la capitainerie est-elle ouverte ?"
    )
    assert "huit heures à vingt heures. [1]" in opening.text
    assert opening.statements[0].language == "fr"


def test_a_document_too_short_to_tell_takes_the_language_of_the_others(make_desk: MakeDesk) -> None:
    table = "Code,Pump,Capacities\nPU-1,fire pump,90\nPU-2,electric pump,60\n"
    desk = make_desk({"a-table.csv": table, "b.md": ENGLISH})
    desk.gather()
    found = desk.document("documents/a-table.csv")
    assert found is not None
    assert found.language == "en"
    assert desk.find("Which capacity has the pump?")[0].document == "documents/a-table.csv"
    answer = desk.ask("What is the capacity of PU-2?")
    assert answer.text.startswith("Code | Pump | Capacities\n--- | --- | ---\nPU-2 | electric pump")
    assert str(answer.citations[0].location) == "row 3"
    assert desk.gather().nothing_to_do


def test_details_come_from_front_matter_and_meta(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {
            "a.md": "---\ntitle: Ice\ntags: [a, b]\ndate: 2026-03-01\n---\nIce is cold.",
            "b.html": "<title>Salt</title><meta name='author' content='Office'><p>Salt is dry.</p>",
        }
    )
    desk.gather()
    ice, salt = desk.document("documents/a.md"), desk.document("documents/b.html")
    assert ice is not None
    assert salt is not None
    assert ice.title == "Ice"
    assert ice.metadata["tags"] == ["a", "b"]
    assert ice.metadata["date"] == "2026-03-01"
    assert (salt.title, salt.metadata["author"], salt.format) == ("Salt", "Office", "html")
    hit = desk.find("salt")[0]
    assert (hit.title, hit.location.lines) == ("Salt", None)
