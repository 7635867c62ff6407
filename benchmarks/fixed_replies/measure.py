"""Do fixed replies take the questions they were written for, and no others?

    python benchmarks/fixed_replies/measure.py DESK [--method encoder] [--others WORK/*/own.jsonl …]

`phrasings.jsonl` holds 20 replies with four given phrasings each, and ten other wordings of each,
written before the matching was. Others are the demo's questions, `near_misses.txt` (written to
share words with the replies), and the readers' questions of benchmarks/real_documents. Odd replies
and every other question fit the weights and the two thresholds; the rest is what is reported.
`same.txt` names questions of the demo that a reply does answer.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

from yonder_lantern import Desk
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.replies import Phrasings

HERE = Path(__file__).parent
WRONG = 0.02  # of other questions that a reply may take


def questions_in(path: Path) -> list[str]:
    """Its questions, but for those that lean on another."""
    read = [json.loads(line) for line in path.read_text("utf-8").splitlines()]
    return [one["question"] for one in read if not one.get("turns")]


def fitted(rows: list[tuple[int, np.ndarray]]) -> np.ndarray:
    """Weights of a logistic regression over (question, reply) pairs."""
    features = np.concatenate([np.c_[one, np.ones(len(one))] for _, one in rows])
    meant = np.concatenate([np.arange(len(one)) == right for right, one in rows]).astype(float)
    weight = np.where(meant == 1, 5.0, 1.0)

    def loss(b: np.ndarray) -> tuple[float, np.ndarray]:
        z = features @ b
        slope = features.T @ (weight * (1 / (1 + np.exp(-z)) - meant))
        value = float((weight * (np.logaddexp(0, z) - meant * z)).sum())
        return value + 0.05 * float(b[:2] @ b[:2]), slope + 0.1 * np.r_[b[:2], 0]

    return np.asarray(minimize(loss, np.zeros(features.shape[1]), jac=True).x)


def shares(rows: list[tuple[int, np.ndarray]], b: np.ndarray, least: float) -> dict[str, float]:
    right = mistaken = wrong = 0
    meant = sum(owner >= 0 for owner, _ in rows)
    for owner, features in rows:
        sure = 1 / (1 + np.exp(-(np.c_[features, np.ones(len(features))] @ b)))
        best = int(np.argmax(sure))
        if sure[best] < least:
            continue
        if owner < 0:
            wrong += 1
        elif best == owner:
            right += 1
        else:
            mistaken += 1
    return {
        "right": round(right / max(meant, 1), 3),
        "another reply": round(mistaken / max(meant, 1), 3),
        "wrong": round(wrong / max(len(rows) - meant, 1), 3),
    }


def whole(
    desk: Desk,
    replies: list[dict[str, Any]],
    asked: list[tuple[str, str]],
    others: dict[str, list[str]],
) -> None:
    """Which way questions go through the whole pipeline, the documents answering beside."""
    from msgspec.structs import replace

    from yonder_lantern.settings import FixedReplySettings

    fixed = tuple(
        FixedReplySettings(name=one["reply"], phrasings=tuple(one["phrasings"]), text="It is so.")
        for one in replies
    )
    opened = Desk(desk.folder, replace(desk.settings, fixed_reply=fixed), record=False)
    right = mistaken = offered = 0
    for name, question in asked:
        route = opened.ask(question, audience=["public"]).route
        right += route.name == name
        mistaken += bool(route.name) and route.name != name
        offered += not route.name and bool(route.phrasing)
    print(f"whole: right {right}, another reply {mistaken}, offered {offered} of {len(asked)}")
    for kind, questions in others.items():
        routes = [opened.ask(question, audience=["public"]).route for question in questions]
        taken = sum(bool(route.name) for route in routes)
        beside = sum(not route.name and bool(route.phrasing) for route in routes)
        print(f"whole: {kind}: taken {taken}, offered {beside} of {len(questions)}")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("desk", type=Path, help="a gathered desk, e.g. of `yonder demo`")
    parser.add_argument("--method", default="", help="an embedding method other than the desk's")
    parser.add_argument("--model", default="")
    parser.add_argument("--more", type=int, default=0, help="give so many of the others as well")
    parser.add_argument("--whole", action="store_true", help="ask the desk with these replies")
    parser.add_argument("--show", action="store_true", help="print what is wrong")
    given = parser.parse_args()
    desk = Desk.open(given.desk, record=False)
    embedding: Any = desk.snapshot().embedding
    if given.method:
        from msgspec.structs import replace

        from yonder_lantern.embedding import open_method
        from yonder_lantern.policy import embedding_context

        settings = replace(desk.settings.embedding, method=given.method, model=given.model)
        changed = replace(desk.settings, embedding=settings)
        context = embedding_context(desk.folder, desk.state, changed)
        embedding = open_method(settings, context).make(None)
    replies = [json.loads(line) for line in (HERE / "phrasings.jsonl").read_text().splitlines()]
    for one in replies:
        one["phrasings"] += one["asked"][: given.more]
        one["asked"] = one["asked"][given.more :]
    phrasings = Phrasings([one["phrasings"] for one in replies], embedding)
    same = set((HERE / "same.txt").read_text("utf-8").splitlines())
    real = HERE.parent / "real_documents" / "questions"
    others = {
        "near misses": (HERE / "near_misses.txt").read_text("utf-8").splitlines(),
        "the demo's": [
            one for one in questions_in(DEMO_FOLDER / "questions.jsonl") if one not in same
        ],
        "readers'": [one for path in sorted(real.glob("*.jsonl")) for one in questions_in(path)],
    }

    def features(question: str) -> np.ndarray:
        return np.array([one[1:] for one in phrasings.features(question)])

    rows: dict[str, list[tuple[int, np.ndarray]]] = {"fit": [], "test": []}
    for owner, one in enumerate(replies):
        rows[one["split"]] += [(owner, features(question)) for question in one["asked"]]
    by_kind = {}
    texts = {}
    for name, questions in others.items():
        own = [(-1, features(question)) for question in questions]
        rows["fit"] += own[::2]
        rows["test"] += own[1::2]
        by_kind[name] = own[1::2]
        texts[name] = questions[1::2]
    b = fitted(rows["fit"])
    grid = np.arange(0.02, 1.0, 0.01)
    least = next(at for at in grid if shares(rows["fit"], b, at)["wrong"] <= WRONG)
    print("weights", np.round(b, 2).tolist(), "threshold", round(float(least), 2))
    for threshold in (least, 0.5, 0.3):
        print(f"at {threshold:.2f}", "fit", shares(rows["fit"], b, threshold))
        print("        test", shares(rows["test"], b, threshold))
        for name, own in by_kind.items():
            print(f"        {name:12}", shares(own, b, threshold)["wrong"], f"of {len(own)}")
    if given.whole:
        asked = [(one["reply"], text) for one in replies if one["split"] == "test"
                 for text in one["asked"]]  # fmt: skip
        whole(desk, replies, asked, texts)
    if given.show:
        for name, own in by_kind.items():
            for (_, found), text in zip(own, texts[name], strict=True):
                sure = 1 / (1 + np.exp(-(np.c_[found, np.ones(len(found))] @ b)))
                if sure.max() > 0.5:
                    print(
                        f"{sure.max():.2f} {name}: {text} → {replies[int(sure.argmax())]['reply']}"
                    )


if __name__ == "__main__":
    main()
