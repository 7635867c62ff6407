"""A note, and one that was found."""

from __future__ import annotations

from dataclasses import dataclass

LONGEST_NOTE = 4000  # characters


@dataclass(frozen=True, slots=True)
class Note:
    """Something a person or a program left for the assistant to keep.

    Attributes
    ----------
    id, text : str
    by : str
        Who left it.
    at : str
        When, in UTC (ISO 8601): recorded time.
    audience : tuple of str
        Who may see it.
    source : str
        Where it comes from: a program, an address; empty if not said.
    about : str
        A document it is about; empty for none.
    valid_from, valid_until : str
        When what it says holds, half-open, in UTC; empty is open: valid time.
    withdrawn, withdrawn_by : str
        When it was withdrawn, and by whom; empty while it stands.
    """

    id: str
    text: str
    by: str
    at: str
    audience: tuple[str, ...]
    source: str = ""
    about: str = ""
    valid_from: str = ""
    valid_until: str = ""
    withdrawn: str = ""
    withdrawn_by: str = ""

    def holds_at(self, moment: str) -> bool:
        """Whether it stands, and what it says holds, at a moment in UTC."""
        begun = not self.valid_from or self.valid_from <= moment
        over = bool(self.valid_until) and self.valid_until <= moment
        withdrawn = bool(self.withdrawn) and self.withdrawn <= moment
        return begun and not over and not withdrawn and self.at <= moment


@dataclass(frozen=True, slots=True)
class FoundNote:
    """A note that fits a question.

    Attributes
    ----------
    note : Note
    score : float
        The share of the question's words, by weight, that it has, or has the like of.
    contradicts : tuple of str
        What it contradicts: ``document#start`` of a passage, or the id of another note.
    newer : str
        A later note that contradicts it; empty if there is none.
    """

    note: Note
    score: float
    contradicts: tuple[str, ...] = ()
    newer: str = ""
