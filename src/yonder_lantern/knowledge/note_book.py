"""The notes that a caller may see, leave and withdraw."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Protocol
from zoneinfo import ZoneInfo

from ..core import LONGEST_NOTE, Caller, CallError, Note
from ..settings import parse_moment

OWNER = "owner"


class NoteStore(Protocol):
    """What keeps notes; see `SqlNotes`."""

    def add(self, note: Note) -> None:
        """Keep a note."""

    def change(self, note: Note) -> None:
        """Put it in the place of the one of its id."""

    def get(self, id_: str) -> Note | None:
        """A note by its id."""

    def newest_first(self) -> list[Note]:
        """All notes."""

    def delete(self, id_: str) -> None:
        """Delete one for good."""


class NoteBook:
    """The notes of a desk, as one caller sees them.

    A note is seen by those who carry one of its labels. Whoever left it may withdraw it, and so
    may the desk's owner, who alone forgets one for good.

    Parameters
    ----------
    store : NoteStore
    caller : Caller
    refuses : callable, optional
        Says of a text and an audience why that text may not be shown to it; empty if it may.
    zone : ZoneInfo, default UTC
        That dates without one are in.
    """

    def __init__(
        self,
        store: NoteStore,
        caller: Caller,
        refuses: Callable[[str, Sequence[str], str], str] = lambda *_: "",
        zone: ZoneInfo = ZoneInfo("UTC"),  # noqa: B008
    ) -> None:
        self._store = store
        self._caller = caller
        self._refuses = refuses
        self._zone = zone

    def leave(
        self,
        text: str,
        *,
        by: str = OWNER,
        audience: Iterable[str] | None = None,
        source: str = "",
        about: str = "",
        valid_from: str = "",
        valid_until: str = "",
    ) -> Note:
        """Leave a note.

        Parameters
        ----------
        text : str
        by : str
            Who leaves it.
        audience : iterable of str, optional
            Who may see it. By default the one label besides ``public`` that whoever leaves it
            has, or ``public``.
        source : str
            Where it comes from.
        about : str
            A document it is about.
        valid_from, valid_until : str
            When what it says holds, as dates or moments (ISO 8601).

        Raises
        ------
        CallError
            It is empty or too long, its dates are none or the wrong way round, it quotes what
            its audience may not see, or whoever leaves it does not have the audience's labels.
        """
        words, labels = self.check(text, audience=audience, about=about)
        begins = self._moment(valid_from, "valid_from")
        ends = self._moment(valid_until, "valid_until")
        if begins and ends and ends <= begins:
            raise CallError(
                "a note cannot end before it begins", "valid_until", "give a later date"
            )
        now = datetime.now(UTC)
        note = Note(
            f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(6)}",
            words,
            by.strip() or OWNER,
            now.isoformat(timespec="microseconds"),
            labels,
            source.strip(),
            about,
            begins,
            ends,
        )
        self._store.add(note)
        return note

    def check(
        self, text: str, *, audience: Iterable[str] | None = None, about: str = ""
    ) -> tuple[str, tuple[str, ...]]:
        """The words and labels of a note that may be left.

        Raises
        ------
        CallError
            It may not be; see `leave`.
        """
        words = text.strip()
        if not words or len(words) > LONGEST_NOTE:
            what = f"a note is between 1 and {LONGEST_NOTE:,} characters"
            raise CallError(what, "text", "write less, or put it into a document")
        labels = self._labels(audience)
        why = self._refuses(words, labels, about)
        if why:
            raise CallError(why, "audience", "name a narrower audience, or say it in other words")
        return words, labels

    def standing(self, moment: datetime | None = None) -> list[Note]:
        """The notes that hold at a moment, now by default, the latest first.

        Parameters
        ----------
        moment : datetime, optional
            Also what is withdrawn by now, if it stood then.
        """
        when = (moment or datetime.now(UTC)).astimezone(UTC).isoformat(timespec="microseconds")
        return [one for one in self._seen() if one.holds_at(when)]

    def all(self) -> list[Note]:
        """Every note, also those withdrawn or no longer valid, the latest first."""
        return self._seen()

    def get(self, id_: str) -> Note:
        """A note by its id.

        Raises
        ------
        CallError
            There is none that the caller may see.
        """
        found = self._store.get(id_)
        if found is None or not self._caller.sees(frozenset(found.audience)):
            raise CallError(f"there is no note {id_!r}", "note", "list them: yonder notes")
        return found

    def withdraw(self, id_: str, *, by: str = OWNER) -> Note:
        """Take a note back: it is found no more, and kept for those who ask about that time.

        Raises
        ------
        CallError
            There is none, or somebody else left it.
        """
        note = self.get(id_)
        if not self._caller.is_owner and by != note.by:
            raise CallError(f"{note.by} left this note", "note", "ask them, or the desk's owner")
        if note.withdrawn:
            return note
        now = datetime.now(UTC).isoformat(timespec="microseconds")
        gone = replace(note, withdrawn=now, withdrawn_by=by.strip() or OWNER)
        self._store.change(gone)
        return gone

    def forget(self, id_: str) -> None:
        """Delete a note for good.

        Raises
        ------
        CallError
            There is none, or the caller is not the desk's owner.
        """
        if not self._caller.is_owner:
            raise CallError("only the desk's owner may forget a note", "note", "withdraw it")
        self.get(id_)
        self._store.delete(id_)

    def _moment(self, text: str, where: str) -> str:
        """A date or a moment in UTC, as notes keep it."""
        moment = parse_moment(text, self._zone, where) if text else None
        return moment.isoformat(timespec="microseconds") if moment else ""

    def _seen(self) -> list[Note]:
        notes = self._store.newest_first()
        return [one for one in notes if self._caller.sees(frozenset(one.audience))]

    def _labels(self, audience: Iterable[str] | None) -> tuple[str, ...]:
        own = self._caller.labels
        if audience is None:
            narrow = sorted((own or frozenset()) - {"public"})
            if len(narrow) > 1:
                what = f"the note could be for {' or for '.join(narrow)}"
                raise CallError(what, "audience", "name who may see it")
            return tuple(narrow) or ("public",)
        wanted = tuple(sorted({label.strip() for label in audience if label.strip()}))
        if not wanted:
            raise CallError("a note needs somebody who may see it", "audience", "name a label")
        if own is not None and not set(wanted) <= own:
            foreign = ", ".join(sorted(set(wanted) - own))
            what = f"whoever leaves the note does not have the label {foreign}"
            raise CallError(what, "audience", "name labels of your own")
        return wanted
