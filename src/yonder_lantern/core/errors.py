"""The errors people see: what is wrong, where, and what to do about it."""

from __future__ import annotations


class YonderError(Exception):
    """Base of every error that Yonder Lantern raises on purpose.

    Parameters
    ----------
    what : str
        What is wrong, as a sentence without a full stop.
    where : str, optional
        File and line, settings key, or address.
    remedy : str, optional
        What the reader can do about it.

    Examples
    --------
    >>> print(YonderError("no such folder", "source.folder", "make it, or fix the path"))
    no such folder
      where: source.folder
      to do: make it, or fix the path
    """

    exit_status = 3

    def __init__(self, what: str, where: str = "", remedy: str = "") -> None:
        super().__init__(what, where, remedy)
        self.what = what
        self.where = where
        self.remedy = remedy

    def __str__(self) -> str:
        lines = [self.what]
        if self.where:
            lines.append(f"  where: {self.where}")
        if self.remedy:
            lines.append(f"  to do: {self.remedy}")
        return "\n".join(lines)


class SettingsError(YonderError):
    """The settings file, or an override of it, is wrong."""

    exit_status = 2


class CallError(YonderError):
    """The call itself is wrong: an empty question, an option out of range."""

    exit_status = 2


class QuestionSetError(YonderError):
    """The question set cannot be used as it is."""

    exit_status = 2


class SourceError(YonderError):
    """A place documents come from cannot be read."""

    exit_status = 2


class ServiceError(YonderError):
    """Another program or machine cannot be reached, refuses, or answers something else."""


class FormatError(YonderError):
    """One document cannot be read. Other documents are unaffected."""


class ExcludedError(FormatError):
    """A document that a house rule keeps out. It is no failure, and no version of it stays."""


class IndexStateError(YonderError):
    """The index is missing, damaged, newer than this program, or being written."""


class NothingGatheredError(IndexStateError):
    """The index holds no document yet, so there is nothing to look into."""

    exit_status = 2


class StateError(YonderError):
    """A trace, a conversation or the ledger is damaged. The index is not concerned."""


class ClosedError(YonderError):
    """A generation of the index was used after it was closed."""

    exit_status = 2


class LimitError(YonderError):
    """Something is larger or longer than a limit allows."""

    exit_status = 2


class MissingExtraError(YonderError):
    """An optional package is needed and not installed."""

    exit_status = 2


class CancelledError(YonderError):
    """The work was interrupted on request; what was there before still stands."""

    exit_status = 130
