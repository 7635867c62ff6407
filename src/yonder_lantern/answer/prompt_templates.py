"""The texts of prompts and of declining: the desk's own files, else those that ship."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..core import SettingsError
from ..platform.services import fill

_SHIPPED = Path(__file__).parent / "prompts"
NOT_IN_DOCUMENTS = "NOT IN THE DOCUMENTS"

# What each file may use.
VARIABLES: Mapping[str, tuple[str, ...]] = {
    "instructions.j2": (
        "organisation", "tone", "length", "language", "not_in_documents", "examples", "short",
        "values", "samples", "person",
    ),
    "question.j2": ("question", "background", "passages", "fence", "short", "values"),
    "fields.j2": ("organisation", "schema", "faults", "values"),
    "words.j2": ("what", "about"),
    "follow_up.j2": ("recap", "question"),
    "look_up.j2": ("look_ups", "question"),
    "draft_question.j2": ("passage", "fence"),
    "plan.j2": ("question",),
    "statements.j2": ("title", "passage", "fence"),
    "outline.j2": ("organisation", "topic", "most", "passages", "fence"),
    "courtesy.j2": ("courtesy", "organisation", "values"),
    "declined.j2": ("question", "sought", "missing", "nearest", "request", "suggestions", "values"),
}  # fmt: skip


class Templates:
    """The texts of a desk.

    Parameters
    ----------
    folder : Path or None
        Where the desk's own stand; one that is missing there is the one that ships.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder

    def location(self, name: str) -> Path:
        """Where a text is read from."""
        path = self._folder / name if self._folder else _SHIPPED / name
        return path if path.is_file() else _SHIPPED / name

    def filled(self, name: str, values: Mapping[str, Any]) -> str:
        """A text with its values, without white space at its ends.

        Raises
        ------
        SettingsError
            It cannot be read, or is wrong: file and line are named.
        """
        path = self.location(name)
        try:
            text = path.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise SettingsError(
                f"the template cannot be read: {error}", str(path), "fix or remove it"
            ) from None
        return fill(text, {key: values.get(key, "") for key in VARIABLES[name]}, str(path)).strip()
