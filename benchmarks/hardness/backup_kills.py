"""Does a kill in the middle of a backup or a restore lose anything?

    python benchmarks/hardness/backup_kills.py [KILLS]

Kills so many backups and restores (50 in all) at a random moment, while turns are being written.
After each, the desk must open, or say that a restore is to be finished and be whole once it is;
and a backup file must be whole or not there.
"""

from __future__ import annotations

import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

from common import ASKED, QUAY, count_of, end_with

from yonder_lantern import Desk
from yonder_lantern.core import CallError, SettingsError
from yonder_lantern.desk import restore


def main() -> None:
    kills = count_of(50)
    chance = random.Random(5)
    faults: list[str] = []
    unfinished = whole = 0
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made) / "desk"
        (folder / "documents").mkdir(parents=True)
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").touch()
        desk = Desk.open(folder)
        desk.gather()
        desk.talk(ASKED["text"], desk.conversations.start())
        first = desk.backup(Path(made) / "first.tar.gz")
        desk.close()
        for number in range(kills):
            file = Path(made) / f"b{number}.tar.gz"
            verb = ["backup", str(file)] if number % 2 else ["restore", str(first)]
            child = subprocess.Popen(
                [sys.executable, "-m", "yonder_lantern", *verb], cwd=folder,
                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            )  # fmt: skip
            time.sleep(chance.uniform(0.8, 4.0))
            child.send_signal(signal.SIGKILL)
            child.wait()
            with suppress(CallError):
                restore(folder)
                unfinished += 1
            try:
                again = Desk.open(folder)
                if "22:00" not in again.ask(ASKED["text"]).text:
                    faults.append(f"kill {number}: not answered")
                if not list(again.conversations.newest()):
                    faults.append(f"kill {number}: conversations are gone")
                again.talk(ASKED["text"], again.conversations.start())
                again.close()
            except SettingsError as error:
                faults.append(f"kill {number}: {error}")
            if file.exists():
                whole += 1
                there = Path(made) / "there"
                restore(there, file)
                shutil.rmtree(there)
    print(f"{kills} kills: {unfinished} restores finished by the next, {whole} backups were whole; "
          f"{len(faults)} faults")  # fmt: skip
    end_with(faults)


if __name__ == "__main__":
    main()
