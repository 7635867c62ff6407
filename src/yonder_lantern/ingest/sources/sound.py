"""The sound of a film, taken out before anything is sent to be transcribed."""

from __future__ import annotations

import shutil
import signal
import subprocess
from pathlib import Path

from ...core import FormatError, MissingExtraError
from ...platform.storage import die_with_parent

PROGRAM = "ffmpeg"
FILMS = frozenset(".mp4 .m4v .mov .mkv .webm".split())
_SECONDS = 1800
_RATE = 16_000  # samples a second: what speech needs


def sound_of(path: Path) -> tuple[bytes, str]:
    """The sound of a recording and a name for it: a film's alone, else the file as it is.

    Parameters
    ----------
    path : Path

    Raises
    ------
    MissingExtraError
        It is a film, and ffmpeg is not installed.
    FormatError
        It has no sound, or cannot be read.
    """
    if path.suffix.lower() not in FILMS:
        return path.read_bytes(), path.name
    program = shutil.which(PROGRAM)
    if program is None:
        raise MissingExtraError(
            f"taking the sound out of a film needs the program {PROGRAM}",
            remedy=f"install {PROGRAM}, or put subtitles beside the film",
        )
    command = [program, "-nostdin", "-v", "error", "-i", str(path), "-vn", "-ac", "1",
               "-ar", str(_RATE), "-f", "flac", "pipe:1"]  # fmt: skip
    try:
        done = subprocess.run(
            command,
            capture_output=True,
            timeout=_SECONDS,
            check=False,
            preexec_fn=die_with_parent(signal.SIGKILL),
        )
    except subprocess.TimeoutExpired:
        raise FormatError(f"{PROGRAM} has not ended after {_SECONDS} s") from None
    if done.returncode or not done.stdout:
        lines = done.stderr.decode("utf-8", "replace").strip().splitlines()
        said = lines[-1] if lines else f"status {done.returncode}"
        raise FormatError(f"it has no sound that can be taken out: {said}")
    return done.stdout, f"{path.stem}.flac"
