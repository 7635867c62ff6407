"""How long a desk keeps what it keeps."""

from __future__ import annotations

from .moments import parse_duration
from .section import Section


class RetentionSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How long each kind of record is kept, as ``90d``; empty: until it is purged.

    What is older is removed while the desk is served, and by ``yonder purge --expired``.

    Parameters
    ----------
    conversations
        From their last turn on.
    traces
        From the day they were written.
    feedback
        From when it was given.
    notes
        From when they were left.
    grades
        Results of grading.
    comparisons
        What comparisons keep to be fast: it can be made again.
    statements
        Of documents, once they were withdrawn.
    costs
        From the month they were spent in.
    tokens
        Access tokens, once they have expired.
    """

    conversations: str = ""
    traces: str = ""
    feedback: str = ""
    notes: str = ""
    grades: str = ""
    comparisons: str = ""
    statements: str = ""
    costs: str = ""
    tokens: str = ""

    def __post_init__(self) -> None:
        """Refuse an age that is none."""
        for name in self.__struct_fields__:
            if value := getattr(self, name):
                try:
                    parse_duration(value)
                except ValueError as error:
                    raise ValueError(f"{name}: {error}") from None
