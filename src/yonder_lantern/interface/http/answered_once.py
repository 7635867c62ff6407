"""A request that is sent twice is answered once, whichever process gets it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import partial
from typing import Any

from anyio import to_thread

from ...conversation import Conversations
from .problems import HttpProblem
from .running_turns import Named, RunningTurn, RunningTurns
from .shared_turns import FollowedTurn

_TRIES = 5  # others may take a dead turn over at the same time


async def answered_once(
    turns: RunningTurns,
    conversations: Conversations,
    turn: RunningTurn,
    key: str,
    body: bytes,
    told: Callable[[Any, str], Named],
) -> RunningTurn | FollowedTurn | int:
    """Start a turn, or find what answers the same request already.

    The request is reserved where the conversation is kept, before anything is done; the turn that
    is kept for it says so in the same transaction. So neither a second process nor a kill in the
    middle makes two of one.

    Parameters
    ----------
    turns : RunningTurns
    conversations : Conversations
    turn : RunningTurn
        Prepared; dropped where another answers.
    key : str
        Of whoever asks: the same for the same request.
    body : bytes
        What was sent.
    told : callable
        Gives the turn's events; takes a cancel signal and the reserved key.

    Returns
    -------
    RunningTurn, FollowedTurn or int
        What answers it; or the number of the turn that was kept for it.

    Raises
    ------
    HttpProblem
        422: the key was sent with another body. 503: it cannot be told who answers it.
    """
    mark = hashlib.sha256("\0".join((turn.caller, turn.conversation, key)).encode()).hexdigest()
    digest = hashlib.sha256(body).hexdigest()
    try:
        for _ in range(_TRIES):
            found = await to_thread.run_sync(
                conversations.reserve, mark, turn.conversation, turn.id, digest
            )
            if found.body != digest:
                raise HttpProblem(422, "this key was sent with another body before",
                                  "choose a new key for a new request")  # fmt: skip
            mine = found.is_first or found.turn == turn.id
            if not mine and not found.number:
                other = turns.find_any(found.turn)
                if other is not None and not other.is_over:
                    turns.drop(turn)
                    return other
                # It may have been kept just before it was over.
                found = await to_thread.run_sync(
                    conversations.reserve, mark, turn.conversation, turn.id, digest
                )
                mine = not found.number and await to_thread.run_sync(
                    conversations.take_over, mark, found.turn, turn.id
                )
            if found.number:
                turns.drop(turn)
                return turns.find_any(found.turn) or found.number
            if mine:
                turns.start(turn, partial(_with_key, told, mark))
                return turn
    except BaseException:
        turns.drop(turn)
        raise
    turns.drop(turn)
    raise HttpProblem(503, "others answer this request", "ask again soon", {"retry-after": "2"})


def _with_key(told: Callable[[Any, str], Named], key: str, cancel: Any) -> Named:
    return told(cancel, key)
