"""The conversations that a caller may see, go on with, and put in order."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import Protocol

from ..core import Caller, CallError, ServiceError, StateError
from .preferences import Preference
from .turns import Conversation, ConversationSummary, ReservedRequest, Turn, title_of

NOT_KEPT = (OSError, ServiceError, StateError)  # the store is full, away or damaged


class ConversationStore(Protocol):
    """What keeps conversations; see `SqlStore`."""

    def add(self, conversation: Conversation, turn: Turn) -> int:
        """Keep a turn; its number, from 1."""

    def begin(self, conversation: Conversation, at: str) -> None:
        """Keep one that has no turn yet."""

    def load(self, id_: str) -> Conversation | None:
        """A conversation with its turns."""

    def newest(self, *, text: str = "", owner: str | None = None) -> Iterator[ConversationSummary]:
        """Conversations, newest first."""

    def rename(self, id_: str, title: str) -> None:
        """Call it something else."""

    def delete(self, id_: str) -> None:
        """Delete it for good."""

    def drop_last(self, id_: str) -> None:
        """Delete its last turn."""

    def set_preferences(self, id_: str, preferences: Sequence[Preference]) -> None:
        """Keep other preferences with it."""

    def reserve(self, key: str, conversation: str, turn: str, body: str) -> ReservedRequest:
        """Take a request to be answered by a turn."""

    def take_over(self, key: str, turn: str, by: str) -> bool:
        """Let another turn answer it."""


class Conversations:
    """The conversations of a desk, as one caller sees them.

    Whose they are counts beside what they see: a conversation is its owner's, and is shown to
    nobody who sees less than was seen in it. The desk's owner sees all of them.

    Parameters
    ----------
    store : ConversationStore
    caller : Caller, optional
        Who sees them; the owner by default.
    """

    def __init__(self, store: ConversationStore, caller: Caller | None = None) -> None:
        self._store = store
        self._caller = caller or Caller()

    def start(self, *, owner: str = "") -> Conversation:
        """A new conversation; nothing is written before its first turn.

        Parameters
        ----------
        owner : str
            Whose it is; only a caller of that name goes on with it.
        """
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
        return Conversation(
            f"{stamp}-{secrets.token_hex(8)}",
            owner=owner,
            audience=labels_of(self._caller),
        )

    def begin(self, *, owner: str = "") -> Conversation:
        """A new conversation that others can find at once, by its id; lists name it later.

        Parameters
        ----------
        owner : str
            As for `start`.
        """
        made = self.start(owner=owner)
        self._store.begin(made, datetime.now(UTC).isoformat(timespec="seconds"))
        return made

    def resume(self, id_: str = "", *, owner: str = "") -> Conversation:
        """A kept conversation by id; without, the last one that the caller may go on with.

        Parameters
        ----------
        id_ : str
        owner : str
            As for `start`. A caller who sees less than the one who had it is told that there
            is no such conversation.

        Raises
        ------
        CallError
            There is no such conversation.
        StateError
            It is damaged.
        """
        if not id_:
            id_ = next((one.id for one in self.newest(owner=owner)), "")
            if not id_:
                raise CallError("no conversation has been kept", remedy="start one: yonder talk")
        found = self._store.load(id_)
        if found is None or not self._may(found.owner, found.audience, owner):
            raise CallError(f"there is no conversation {id_!r}", remedy="start one: yonder talk")
        return found

    def exists(self, id_: str) -> bool:
        """Whether there is a conversation of an id, whoever may see it."""
        return self._store.load(id_) is not None

    def newest(self, *, text: str = "", owner: str = "") -> Iterator[ConversationSummary]:
        """The conversations that the caller may go on with, newest first.

        Parameters
        ----------
        text : str
            Words that a question or an answer must hold, whatever their case.
        owner : str
            As for `start`.
        """
        of_owner = None if self._caller.is_owner and not owner else owner
        for one in self._store.newest(text=text, owner=of_owner):
            if self._may(one.owner, one.audience, owner):
                yield one

    def rename(self, id_: str, title: str, *, owner: str = "") -> None:
        """Call a conversation something else.

        Raises
        ------
        CallError
            There is no such conversation, or the title is empty.
        """
        self.resume(id_, owner=owner)
        if not title.strip():
            raise CallError("the title is empty", "title", "give it a name")
        self._store.rename(id_, " ".join(title.split()))

    def delete(self, id_: str, *, owner: str = "") -> None:
        """Delete a conversation for good; its traces are kept apart.

        Raises
        ------
        CallError
            There is no such conversation.
        """
        self.resume(id_, owner=owner)
        self._store.delete(id_)

    def undo(self, conversation: Conversation) -> Turn:
        """Take the last turn of a conversation back, for good.

        Raises
        ------
        CallError
            It has no turn.
        """
        if not conversation.turns:
            raise CallError("there is no turn to take back", f"conversation {conversation.id}")
        self._store.drop_last(conversation.id)
        turn = conversation.turns.pop()
        left = tuple(one for one in conversation.preferences if one.text not in turn.question)
        if left != conversation.preferences:  # what it said goes with it
            conversation.preferences = left
            self._store.set_preferences(conversation.id, left)
        return turn

    def forget(self, conversation: Conversation, preference: str) -> None:
        """Remove something that the person said of themselves.

        Parameters
        ----------
        conversation : Conversation
        preference : str
            Its text.

        Raises
        ------
        CallError
            It is not kept.
        """
        left = tuple(one for one in conversation.preferences if one.text != preference)
        if len(left) == len(conversation.preferences):
            raise CallError(
                f"{preference!r} is not kept", f"conversation {conversation.id}", "see its list"
            )
        conversation.preferences = left
        self._store.set_preferences(conversation.id, left)

    def keep(self, conversation: Conversation, turn: Turn) -> None:
        """Add a turn to a conversation and keep it.

        Raises
        ------
        OSError, ServiceError, StateError
            It could not be kept, see `NOT_KEPT`; the conversation has the turn all the same.
        """
        conversation.turns.append(turn)
        conversation.title = conversation.title or title_of(turn.question)
        try:
            self._store.add(conversation, turn)
        except NOT_KEPT:
            conversation.kept = False
            raise

    def reserve(self, key: str, conversation: str, turn: str, body: str) -> ReservedRequest:
        """Take a request to be answered by a turn, or learn which turn took it before.

        A turn that is kept of a conversation with this ``request`` is then the only one.

        Parameters
        ----------
        key : str
            The same for the same request, whichever process gets it.
        conversation, turn : str
            Ids.
        body : str
            A digest of what was sent.
        """
        return self._store.reserve(key, conversation, turn, body)

    def take_over(self, key: str, turn: str, by: str) -> bool:
        """Let another turn answer a request whose turn died; whether nobody else did before."""
        return self._store.take_over(key, turn, by)

    def _may(self, owned_by: str, audience: tuple[str, ...] | None, owner: str) -> bool:
        if not owner and self._caller.is_owner:
            return True
        return owned_by == owner and self._caller.sees_all_of(audience)


def labels_of(caller: Caller) -> tuple[str, ...] | None:
    """A caller's labels as a conversation keeps them; None is the owner."""
    return None if caller.labels is None else tuple(sorted(caller.labels))
