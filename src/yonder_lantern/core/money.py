"""Money."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True, slots=True)
class Money:
    """An amount and its currency (ISO 4217; ``XXX`` is "no currency").

    ``simulated`` says that a simulated service asks for it: nobody pays that.

    Examples
    --------
    >>> print(Money(Decimal("0.0042"), "EUR"))
    0.0042 EUR
    >>> print(Money(Decimal("5E-7"), "EUR"))
    0.0000005 EUR
    >>> print(Money())
    nothing
    """

    amount: Decimal = Decimal(0)
    currency: str = "XXX"
    simulated: bool = False

    def __str__(self) -> str:
        told = f"{self.amount:f} {self.currency}" if self.amount else "nothing"
        return f"{told} (simulated)" if self.simulated and self.amount else told

    def __add__(self, other: Money) -> Money:
        """The sum of two amounts of one currency; nothing has any.

        Raises
        ------
        ValueError
            They are of two currencies.
        """
        if not self.amount or not other.amount:
            return other if not self.amount else self
        if self.currency != other.currency:
            raise ValueError(f"{self.currency} and {other.currency} cannot be added")
        simulated = self.simulated or other.simulated
        return Money(self.amount + other.amount, self.currency, simulated)
