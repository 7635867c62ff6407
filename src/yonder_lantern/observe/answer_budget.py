"""What may be spent on answers: for one, and in a day."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from ..core import LimitError, Money, Tokens
from .ledger import CostLedger, Reservation


@dataclass(frozen=True, slots=True)
class AnswerBudget:
    """Limits on what answers may cost, and the ledger that they are entered in.

    Attributes
    ----------
    ledger : CostLedger
    max_price, max_price_a_day : str
        For one answer, and for a day (UTC); empty is no limit.
    """

    ledger: CostLedger
    max_price: str = ""
    max_price_a_day: str = ""

    def reserve(self, model: str, most: Money) -> Reservation:
        """Keep free what a call may cost at most.

        Raises
        ------
        LimitError
            One of the limits would not allow it.
        """
        if self.max_price and most.amount > Decimal(self.max_price):
            raise LimitError(
                f"this answer may cost up to {most}, more than {self.max_price}",
                "answer.max_price",
                "raise it, read fewer passages (--passages), or lower answer_tokens in the profile",
            )
        limit = Decimal(self.max_price_a_day) if self.max_price_a_day else None
        return self.ledger.reserve(model, most, limit)

    def settle(self, reservation: Reservation, tokens: Tokens, cost: Money) -> None:
        """Enter what a call cost."""
        self.ledger.settle(reservation, tokens, cost)

    def release(self, reservation: Reservation) -> None:
        """Take back what was kept free: the call was not served."""
        self.ledger.release(reservation)
