"""Speaking a text into a sound file, by the program espeak-ng of this machine."""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

from ...core import CallError, MissingExtraError, ServiceError

SPEECH_PROGRAM = PROGRAM = "espeak-ng"
_SECONDS = 120
_UNSPOKEN = re.compile(r"\[\d+\]|[*_`#>]|^\|?(?: ?:?-{3,}+:? ?\|?)+$", re.M)


def spoken_form(text: str) -> str:
    """A text as it is read aloud: without citation numbers and markup, cells with pauses.

    Examples
    --------
    >>> spoken_form("The quay *closes* at 22:00. [1]")
    'The quay closes at 22:00.'
    >>> spoken_form("| Alder | 9 m [2] |")
    'Alder, 9 m'
    """
    lines = []
    for line in _UNSPOKEN.sub("", text).splitlines():
        cells = [" ".join(cell.split()) for cell in line.split("|")]
        lines.append(", ".join(cell for cell in cells if cell))
    return "\n".join(line for line in lines if line)


def speak(text: str, path: Path, language: str = "en") -> None:
    """Speak a text into a WAV file.

    Parameters
    ----------
    text : str
        As an answer has it; numbers of citations and markup are not spoken.
    path : Path
    language : str
        ISO 639-1.

    Raises
    ------
    MissingExtraError
        The program is not installed.
    CallError
        The file is to be none that ends in ``.wav``; or no voice speaks the language.
    ServiceError
        The program fails.
    """
    if path.suffix.lower() != ".wav":
        raise CallError("speech is written as WAV", str(path), "name a file that ends in .wav")
    program = shutil.which(PROGRAM)
    if program is None:
        raise MissingExtraError(
            f"speaking needs the program {PROGRAM}", remedy=f"install {PROGRAM}, or leave it out"
        )
    try:
        done = subprocess.run(
            [program, "-v", language, "-w", str(path), "--stdin"],
            input=spoken_form(text).encode("utf-8"),
            capture_output=True,
            timeout=_SECONDS,
            check=False,
        )
    except subprocess.TimeoutExpired:
        raise ServiceError(
            f"it has not ended after {_SECONDS} s", PROGRAM, "speak a shorter answer"
        ) from None
    if done.returncode or not path.exists():
        said = done.stderr.decode("utf-8", "replace").strip() or f"status {done.returncode}"
        if "voice does not exist" in said:
            raise CallError(f"no voice of this machine speaks {language!r}", PROGRAM, "try en")
        raise ServiceError(f"it failed: {said}", PROGRAM, f"is there a voice for {language!r}?")
