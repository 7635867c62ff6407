"""Makes the lexicon that ships with the package: from packages to the file and its card.

    python training/make.py WORK [HOURS [COLLECTION ...]]

runs the steps one after the other: texts, labels (for at most HOURS, by default 8), the fit, and
the card, measured on the collections. Each can be run alone; what is in WORK already is not done
again.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).parent


def main() -> None:
    work, hours = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else "8"
    for step, arguments in (
        ("texts", [work]),
        ("label", [work, hours]),
        ("fit", [work]),
        ("card", [work, *sys.argv[3:]]),
    ):
        print(f"== {step}", flush=True)
        subprocess.run([sys.executable, HERE / f"{step}.py", *arguments], check=True)


if __name__ == "__main__":
    main()
