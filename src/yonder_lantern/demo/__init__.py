"""The demo documents of the invented Saltgarth Harbour Trust, and a way to copy them.

In: nothing. Out: a folder that is a complete desk. Everything in it is made up.
"""

from __future__ import annotations

import shutil
from pathlib import Path

from ..records import CallError

DEMO_FOLDER = Path(__file__).parent / "saltgarth"


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
    return True
