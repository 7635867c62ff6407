"""What may be spent on one answer, over all calls that it takes, and in a day."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal

from ..core import LimitError, Money, Tokens
from .ledger import CostLedger, Reservation


@dataclass(slots=True)
class AnswerBudget:
    """What one answer may cost, and has: its plan and its text come out of one budget.

    Attributes
    ----------
    ledger : CostLedger
    max_price, max_price_a_day : str
        For one answer, and for a day (UTC); empty is no limit.
    spent : Money
        What its calls have cost so far.
    tokens : Tokens
        What was read and written for that.
    """

    ledger: CostLedger
    max_price: str = ""
    max_price_a_day: str = ""
    spent: Money = Money()
    tokens: Tokens = field(default_factory=Tokens)

    def allows(self, most: Money) -> bool:
        """Whether calls that may cost so much fit into what is left for this answer."""
        return not self.max_price or (self.spent + most).amount <= Decimal(self.max_price)

    def reserve(self, model: str, most: Money) -> Reservation:
        """Keep free what a call may cost at most.

        Raises
        ------
        LimitError
            One of the limits would not allow it.
        """
        if not self.allows(most):
            raise LimitError(
                f"this answer may cost up to {self.spent + most}, more than {self.max_price}",
                "answer.max_price",
                "raise it, read fewer passages (--passages), or lower answer_tokens in the profile",
            )
        limit = Decimal(self.max_price_a_day) if self.max_price_a_day else None
        return self.ledger.reserve(model, most, limit)

    def settle(self, reservation: Reservation, tokens: Tokens, cost: Money) -> None:
        """Enter what a call cost; a second time does nothing."""
        if not reservation.settled:
            self.spent, self.tokens = self.spent + cost, self.tokens + tokens
        self.ledger.settle(reservation, tokens, cost)

    def release(self, reservation: Reservation) -> None:
        """Take back what was kept free: the call was not served."""
        self.ledger.release(reservation)
