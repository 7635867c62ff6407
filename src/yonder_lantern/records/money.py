"""Money."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True, slots=True)
class Money:
    """An amount and its currency (ISO 4217; ``XXX`` is "no currency").

    Examples
    --------
    >>> print(Money(Decimal("0.0042"), "EUR"))
    0.0042 EUR
    >>> print(Money())
    nothing
    """

    amount: Decimal = Decimal(0)
    currency: str = "XXX"

    def __str__(self) -> str:
        return f"{self.amount} {self.currency}" if self.amount else "nothing"
