"""A collection in the field's formats: taken in by the command line, measured as elsewhere.

    python benchmarks/laboratory/field_formats.py WORK

The FAQ of Perl, from Debian's package ``perl-doc`` (fetched, never committed): its headings that
ask are topics, the section below each is a document, among the sections of the other manuals of
Perl; which document answers which topic stands in a four-column file. `yonder questions import`
takes them in, `yonder grade` measures. The same rankings, written as a six-column run and read by
the lines below, are measured by scikit-learn; both figures are printed.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
from sklearn.metrics import average_precision_score, ndcg_score

from yonder_lantern import Desk

SECTION = re.compile(r"^=head[12] +(.+?)\s*\n(.*?)(?=^=head[12] |\Z)", re.M | re.S)
LEAST = 80  # characters of a section


def plain(text: str) -> str:
    text = re.sub(r"[BCFILSX]<<? ?(?:[^<>|]*\|)?([^<>]*?) ?>>?", r"\1", text)
    return re.sub(r"^=\w+.*$", "", text, flags=re.M).strip()


def make(work: Path) -> Path:
    folder = work / "perl-faq"
    if (folder / "judged.txt").exists():
        return folder
    documents = folder / "documents"
    documents.mkdir(parents=True)
    package = work / "packages"
    package.mkdir(exist_ok=True)
    subprocess.run(["apt-get", "download", "-qq", "perl-doc"], cwd=package, check=True)
    (archive,) = package.glob("perl-doc_*.deb")
    subprocess.run(["dpkg-deb", "-x", archive, package / "perl"], check=True)
    topics, judged, number = [], [], 0
    for path in sorted((package / "perl").rglob("pod/*.pod")):
        for heading, body in SECTION.findall(path.read_text(encoding="utf-8", errors="replace")):
            text = plain(body)
            if not LEAST < len(text) < 6000:
                continue
            name = f"s{number:05}"
            number += 1
            (documents / f"{name}.txt").write_text(text, encoding="utf-8")
            asked = " ".join(plain(heading).split())
            if path.name.startswith("perlfaq") and asked.endswith("?"):
                topics.append(f"{name}q\t{asked}")
                judged.append(f"{name}q 0 {name} 1")
    (folder / "topics.txt").write_text("\n".join(topics) + "\n", encoding="utf-8")
    (folder / "judged.txt").write_text("\n".join(judged) + "\n", encoding="utf-8")
    (folder / "yonder.toml").write_text("")
    print(f"{len(topics)} topics, {number:,} documents", flush=True)
    return folder


def yonder(folder: Path, *arguments: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "yonder_lantern", *arguments],
        cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode not in (0, 1):
        raise SystemExit(done.stderr)
    return done.stdout


def elsewhere(folder: Path) -> dict[str, float]:
    """Measures of the run by scikit-learn, over the documents it ranks and the one judged."""
    judged = dict(line.split()[::2] for line in (folder / "judged.txt").read_text().splitlines())
    found: dict[str, list[str]] = {}
    for line in (folder / "run.txt").read_text().splitlines():
        topic, _, document, _, _, _ = line.split()
        found.setdefault(topic, []).append(Path(document).stem)
    ndcg, recall, mean = [], [], []
    for topic, wanted in judged.items():
        ranking = found.get(topic, [])
        there = [*ranking, *([] if wanted in ranking else [wanted])]
        relevant = np.array([one == wanted for one in there])
        scores = np.array([len(there) - at for at in range(len(there))], dtype=float)
        if wanted not in ranking:
            ndcg.append(0.0)
            mean.append(0.0)
        else:
            pads = [np.concatenate((part, np.zeros(2))) for part in (relevant, scores)]
            ndcg.append(float(ndcg_score([pads[0]], [pads[1]], k=10)))
            mean.append(float(average_precision_score(relevant, scores)))
        recall.append(float(wanted in ranking[:5]))
    return {
        name: float(np.mean(values))
        for name, values in (("ndcg@10", ndcg), ("recall@5", recall), ("map", mean))
    }


def main() -> None:
    folder = make(Path(sys.argv[1]))
    if not (folder / ".yonder").exists():
        Desk.open(folder).gather()
    (folder / "questions.jsonl").unlink(missing_ok=True)
    print(yonder(folder, "questions", "import", "topics.txt", "--judgements", "judged.txt").strip())
    told = json.loads(yonder(folder, "grade", "--json", "--run", "run.txt"))
    own = {row["measure"]: row for row in told["summary"] if row["questions"] == "all"}
    other = elsewhere(folder)
    print("| measure | yonder grade | scikit-learn, of the run |")
    print("|---|---|---|")
    for name, value in other.items():
        print(f"| {name} | {own[name]['mean']:.4f} | {value:.4f} |")


if __name__ == "__main__":
    main()
