"""Is anything left of a document or a person after a purge, also one that is killed?

    python benchmarks/hardness/purge.py [KILLS]

Plants fifty words in a document that is then asked about, graded, talked of and judged; deletes
it, purges it, and looks for the words in every byte of the desk's folder (UTF-8, UTF-16, in
databases and in what is compressed). Then kills so many purges (30) at a random moment, and lets
the next one finish. A word that is found is a fault.
"""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from common import QUAY, count_of, end_with

sys.path.insert(0, str(Path(__file__).parents[2] / "tests" / "desk"))


def main() -> None:
    from test_keeping import found_in, planted, with_paper

    from yonder_lantern import Desk

    kills = count_of(30)
    chance = random.Random(11)
    faults: list[str] = []
    before = 0
    with tempfile.TemporaryDirectory() as made:
        for number in range(kills + 1):
            words = planted(50, seed=number + 100)

            def make(files: dict[str, str | bytes], name: str) -> Desk:
                folder = Path(made) / name
                (folder / "documents").mkdir(parents=True)
                (folder / "yonder.toml").touch()
                for key, text in files.items():
                    (folder / "documents" / key).write_text(str(text))
                return Desk.open(folder)

            desk = with_paper(make, words)
            before += len(found_in(desk.folder, words))
            id_ = f"documents/{words[-1]}.md"
            (desk.folder / id_).unlink()
            if number:
                child = subprocess.Popen(
                    [sys.executable, "-m", "yonder_lantern", "purge", "--document", id_],
                    cwd=desk.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                )  # fmt: skip
                time.sleep(chance.uniform(0.3, 4.0))
                child.send_signal(signal.SIGKILL)
                child.wait()
            Desk.open(desk.folder).purge(id_)
            left = found_in(desk.folder, words)
            faults += [f"run {number}: {word} in {path}" for path, word in left]
            answer = Desk.open(desk.folder).ask("When does the quay close in summer?")
            if "22:00" not in answer.text or "22:00" not in QUAY:
                faults.append(f"run {number}: what stays is not answered")
    print(f"1 purge and {kills} killed ones, 50 words each, found {before} times before: "
          f"{len(faults)} left")  # fmt: skip
    end_with(faults)


if __name__ == "__main__":
    main()
