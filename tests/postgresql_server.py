"""A real PostgreSQL server of our own, on loopback."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def postgresql_server() -> Iterator[tuple[str, Callable[[str], None]]]:
    """A PostgreSQL server while it is wanted: its address, and a way to start and stop it."""
    programs = sorted(Path("/usr/lib/postgresql").glob("*/bin/pg_ctl"))
    found = str(programs[-1]) if programs else shutil.which("pg_ctl")
    if not found:
        raise FileNotFoundError("pg_ctl")
    bin_folder = Path(found).parent
    made = tempfile.TemporaryDirectory()  # pytest closes its own folders to other users
    folder = Path(made.name)
    as_user = {"user": "postgres", "group": "postgres"} if os.geteuid() == 0 else {}
    if as_user:
        folder.chmod(0o755)
        shutil.chown(folder, "postgres", "postgres")
    port = 20_000 + os.getpid() % 20_000
    data, log = folder / "data", folder / "log"

    def run(*arguments: object) -> None:
        subprocess.run(
            [str(one) for one in arguments],
            check=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            cwd=folder,
            **as_user,  # type: ignore[arg-type]
        )

    def control(what: str) -> None:
        options = f"-p {port} -k {folder} -c listen_addresses=127.0.0.1 -c fsync=off"
        run(
            bin_folder / "pg_ctl",
            "-D",
            data,
            "-l",
            log,
            "-w",
            "-m",
            "immediate",
            "-o",
            options,
            what,
        )

    run(bin_folder / "initdb", "-D", data, "-A", "trust", "-U", "desk")
    control("start")
    try:
        yield f"postgresql://desk@127.0.0.1:{port}/postgres", control
    finally:
        control("stop")
        made.cleanup()
