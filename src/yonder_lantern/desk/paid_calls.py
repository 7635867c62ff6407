"""Calls of a model on the way to one answer: within its budget and the server's limits."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ..core import Cancel, Money, Tokens
from ..observe import AnswerBudget, Reservation
from ..settings import ModelProfile

if TYPE_CHECKING:
    from ..platform import RateLimit
    from ..platform.services import ModelReply, Prompt


@dataclass(frozen=True, slots=True)
class PaidCalls:
    """Calls out of one answer's budget."""

    state: Path
    budget: AnswerBudget

    def sender(
        self, profile: ModelProfile, name: str, cancel: Cancel
    ) -> Callable[[Prompt], ModelReply]:
        """What sends a prompt to a model within the budget, and gives its reply."""
        from ..platform.services import ask_model

        def send(prompt: Prompt) -> ModelReply:
            reservation = self.reserve(profile, name, prompt)
            reply: ModelReply | None = None
            try:
                with self.rate_limit(profile).turn(cancel):
                    reply = ask_model(profile, prompt, cancel=cancel)
            finally:
                if reply is not None:
                    self.budget.settle(reservation, reply.tokens, reply.cost)
                else:
                    self.budget.release(reservation)
            return reply

        return send

    def reserve(self, profile: ModelProfile, name: str, prompt: Prompt) -> Reservation:
        """Keep free what an answer may cost at most, if it may be spent."""
        from ..platform.services import most_it_costs

        return self.budget.reserve(name, most_it_costs(profile, prompt))

    def allow(self, profile: ModelProfile, *prompts: Prompt) -> bool:
        """Whether the budget is enough for all of some prompts."""
        from ..platform.services import most_it_costs

        return self.budget.allows(sum((most_it_costs(profile, one) for one in prompts), Money()))

    def settle_broken_off(
        self, reservation: Reservation, profile: ModelProfile, prompt: Prompt, seen: str
    ) -> None:
        """Enter about what was read and written of an answer that broke off; done once only."""
        from ..platform.services import estimated_tokens, price_of

        if seen:  # what came was paid for all the same
            read = estimated_tokens(profile, prompt.instructions + prompt.question)
            tokens = Tokens(read, estimated_tokens(profile, seen), estimated=True)
            self.budget.settle(reservation, tokens, price_of(profile, tokens))
        else:
            self.budget.release(reservation)

    def rate_limit(self, profile: ModelProfile) -> RateLimit:
        """What lets no more be under way than the server takes."""
        from ..platform import RateLimit

        name = hashlib.sha256(profile.address.encode()).hexdigest()[:16]
        return RateLimit(
            self.state / "turns" / name,
            max_concurrent=profile.max_concurrent,
            max_per_minute=profile.max_per_minute,
        )
