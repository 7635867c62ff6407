"""What the reading model reaches, into CARD.md beside its weights.

    python training/reading/card.py WORK COLLECTION …

orders the 24 best passages of `yonder find` by the cosine alone, of the model that ships and of its
teacher, and by both together, for up to 100 questions of each collection (folders that
benchmarks/real_documents/make.py made).
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import torch
from student import teacher, teacher_folder, tokenizer_in, vectors

from yonder_lantern import Desk
from yonder_lantern.core import Query
from yonder_lantern.evaluation import Ranked
from yonder_lantern.evaluation.questions.question_set import Span
from yonder_lantern.reading import reading_model
from yonder_lantern.reading.kept_weights import SHIPPED

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks" / "real_documents"))

from asking import read_asked
from judging import holds

_DEPTH, _MOST, _LONGEST = 24, 100, 256
_HALF = 0.5


def gained(order: np.ndarray, holding: np.ndarray) -> float:
    """The gain of the first passage that holds the answer, among the first ten."""
    found = np.flatnonzero(holding[order][:10])
    return float(1 / np.log2(found[0] + 2)) if len(found) else 0.0


def figures(folder: Path) -> tuple[int, dict[str, float], np.ndarray]:
    desk = Desk.open(folder, record=False, settings={"find.reading_weight": 0.0})
    desk.gather()
    asked = [one for one in read_asked(folder / "asked.jsonl") if one.spots]
    asked = [asked[at] for at in np.linspace(0, len(asked) - 1, min(_MOST, len(asked))).astype(int)]
    large, small = teacher(), reading_model()
    tokenizer = tokenizer_in(teacher_folder() / "tokenizer.json")
    means: dict[str, list[float]] = {"find": [], "model": [], "teacher": [], "model and find": []}
    alike = []
    for one in asked:
        hits = desk.find(Query(one.question, limit=_DEPTH))
        spans = [Span(spot.document, spot.start, spot.end, 1) for spot in one.spots]
        places = [Ranked(hit.document, hit.start, hit.end) for hit in hits]
        texts = [one.question, *(f"{hit.title}\n{hit.text}" for hit in hits)]
        by_teacher = vectors(large, [e.ids[:_LONGEST] for e in tokenizer.encode_batch(texts)])
        by_model = small.vectors(texts)
        alike += (by_teacher * by_model).sum(axis=1).tolist()
        holding = np.array([any(holds(place, span, one) for span in spans) for place in places])
        scores = np.array([hit.score for hit in hits])
        cosines = {"model": by_model[1:] @ by_model[0], "teacher": by_teacher[1:] @ by_teacher[0]}
        means["find"].append(gained(np.arange(len(hits)), holding))
        for name, own in cosines.items():
            means[name].append(gained(np.argsort(-own, kind="stable"), holding))
        both = scores / scores.max() + _HALF * cosines["model"] / cosines["model"].max()
        means["model and find"].append(gained(np.argsort(-both, kind="stable"), holding))
    return len(asked), {name: float(np.mean(own)) for name, own in means.items()}, np.array(alike)


def main() -> None:
    work = Path(sys.argv[1])
    about = json.loads((SHIPPED / "model.json").read_text())
    kept = torch.load(work / "student.pt", weights_only=False)
    size = sum(path.stat().st_size for path in SHIPPED.iterdir())
    lines = [
        "# The reading model's card",
        "",
        "A text encoder for English, narrowed from all-MiniLM-L6-v2 and trained to say of texts",
        "what that says. Made by `training/reading`; see NOTICE.",
        "",
        "| what | figure |",
        "|---|---|",
        f"| inner widths of its layers | {', '.join(map(str, about['about']['widths']))} |",
        f"| size | {size / 1e6:.2f} MB |",
        f"| hash | {about['hash']} |",
    ]
    if len(kept) > 2:
        lines.append(f"| training on 2 cores | {kept[3]:,} steps, {kept[4] / 60:.0f} minutes |")
    lines += [
        "",
        "nDCG@10 on collections it was not trained on, of the 24 passages that come first:",
        "",
    ]
    names = ("find", "model", "teacher", "model and find")
    lines += ["| collection | questions | " + " | ".join(names) + " |", "|---|---|" + "---|" * 4]
    alike = []
    for folder in map(Path, sys.argv[2:]):
        count, found, cosines = figures(folder)
        alike.append(cosines)
        cells = " | ".join(f"{found[name]:.3f}" for name in names)
        lines.append(f"| {folder.name} | {count} | {cells} |")
        print(lines[-1], flush=True)
    mean = float(np.concatenate(alike).mean())
    lines += ["", f"Cosine of its vectors with the teacher's, on these texts: {mean:.4f}."]
    (SHIPPED / "CARD.md").write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
