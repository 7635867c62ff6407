"""Copying the demo desk."""

from __future__ import annotations

import os
import re
import shutil
import socket
import subprocess
from pathlib import Path

from ..core import CallError

DEMO_FOLDER = Path(__file__).parent / "saltgarth"
_PORTS = re.compile(r"127\.0\.0\.1:(\d+)")
_WHEN = "2026-09-01T08:00:00Z"


def copy_demo(target: Path) -> bool:
    """Copy the demo desk; whether it was copied, False when it was there already.

    Raises
    ------
    CallError
        The folder holds something that is not the demo.
    """
    if target.exists():
        settings = target / "yonder.toml"
        if settings.exists() and "Saltgarth" in settings.read_text(encoding="utf-8"):
            return False
        if not target.is_dir() or any(target.iterdir()):
            raise CallError(
                "this folder holds something else", str(target), "name a new one: yonder demo DIR"
            )
    shutil.copytree(DEMO_FOLDER, target, dirs_exist_ok=True)
    _take_free_ports(target / "yonder.toml")
    _make_repository(target / "repository" / "gauge-code")
    return True


def _take_free_ports(settings: Path) -> None:
    """Let the settings name ports that nobody uses, for the demo's own site and service."""
    text = settings.read_text(encoding="utf-8")
    for port in sorted(set(_PORTS.findall(text))):
        with socket.socket() as trial:
            trial.bind(("127.0.0.1", 0))
            free = trial.getsockname()[1]
        text = text.replace(f"127.0.0.1:{port}", f"127.0.0.1:{free}")
    settings.write_text(text, encoding="utf-8")


def _make_repository(folder: Path) -> None:
    """Make a folder of code the git repository it would be; nothing where there is no git."""
    environment = {
        **os.environ,
        "GIT_AUTHOR_DATE": _WHEN,
        "GIT_COMMITTER_DATE": _WHEN,
        "GIT_CONFIG_GLOBAL": os.devnull,
        "GIT_CONFIG_SYSTEM": os.devnull,
    }
    who = ("-c", "user.name=Instruments", "-c", "user.email=instruments@saltgarth.example")
    for arguments in (
        ("init", "--quiet", "--initial-branch=main"),
        ("add", "--all"),
        (*who, "commit", "--quiet", "--message", "The program as it runs in the hut"),
    ):
        try:
            subprocess.run(
                ["git", *arguments], cwd=folder, env=environment, check=True, capture_output=True
            )
        except (OSError, subprocess.CalledProcessError):
            return
