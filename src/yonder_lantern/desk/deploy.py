"""What runs a desk on a server: a systemd unit, a container file, a reverse proxy's settings."""

from __future__ import annotations

import getpass
import re
import sys
from pathlib import Path

from ..core import CallError
from ..platform.storage import private_folder
from ..settings import SETTINGS_FILE, STATE_FOLDER
from .start import write_missing

_FILES = Path(__file__).parent / "deploy_files"
_HOST = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9.-]*[A-Za-z0-9])?")
_USER = "yonder"  # where root writes the files: the desk is never served as root


def add_deployment(folder: Path, host: str) -> list[str]:
    """Write what runs a desk on a server below its folder ``deploy``.

    Parameters
    ----------
    folder : Path
        The desk's.
    host : str
        The name it will be reached by.

    Returns
    -------
    list of str
        What was made; what is there is left alone.

    Raises
    ------
    CallError
        There is no desk in the folder, the host is none, or the files cannot be written.
    """
    if not (folder / SETTINGS_FILE).is_file():
        raise CallError(f"there is no {SETTINGS_FILE}", str(folder), "start a desk there first")
    if not _HOST.fullmatch(host):
        raise CallError(f"not a host name: {host!r}", "--deploy", "write it as desk.example.org")
    values = {**_of_unit(folder.absolute()), "host": host}
    contents = {
        f"deploy/{path.name}": path.read_text(encoding="utf-8").format(**values)
        for path in sorted(_FILES.iterdir())
        if path.is_file()
    }
    try:
        (folder / "deploy").mkdir(exist_ok=True)
        private_folder(folder / STATE_FOLDER)  # the unit may write there alone
        return write_missing(folder, contents)
    except OSError as error:
        raise CallError(
            f"the files cannot be written: {error.strerror}", str(folder), "see its permissions"
        ) from None


def _of_unit(folder: Path) -> dict[str, str]:
    """What the unit says of this machine."""
    me = getpass.getuser()
    user = _USER if me == "root" else me
    state = folder / STATE_FOLDER
    make_user = (
        f"First: useradd --system {user} && chown -R {user} {state}"
        if user != me
        else f"It runs as the user {user}."
    )
    return {
        "name": re.sub(r"[^\w .-]", " ", folder.name),
        "unit": "yonder.service",
        "user": user,
        "about_user": make_user,
        "folder": _quoted(str(folder)),
        "folder_as_path": str(folder).replace("%", "%%"),
        "state": _quoted(str(state)),
        "program": _program(),
    }


def _program() -> str:
    """The program that writes the files, as it is started: there may be others on the path."""
    beside = Path(sys.executable).with_name("yonder")
    if beside.is_file():
        return _quoted(str(beside))
    return f"{_quoted(sys.executable)} -m yonder_lantern"


def _quoted(text: str) -> str:
    """A word of a unit file (systemd.syntax, systemd.unit): specifiers and spaces as themselves."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"' if re.search(r"[\s\"';]", text) else escaped
