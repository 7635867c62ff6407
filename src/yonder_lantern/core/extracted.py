"""Typed answers: an object of a schema, each of its fields with what it rests on."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from .answers import Citation, Tokens, Unsupported
from .errors import CallError
from .money import Money


@dataclass(frozen=True, slots=True)
class ExtractedField:
    """One field of a typed answer.

    Attributes
    ----------
    value : object
        None when the documents do not say it.
    citations : tuple of Citation
        Numbered through the whole answer; none for what is missing.
    support : float
        How far the cited words bear it out, 0 to 1.
    """

    value: Any
    citations: tuple[Citation, ...] = ()
    support: float = 0.0


@dataclass(frozen=True, slots=True)
class Extracted:
    """A typed answer.

    Attributes
    ----------
    question : str
    value : object
        Of the schema's shape; what the documents do not say is None, or an empty list.
    fields : mapping of str to ExtractedField
        By JSON Pointer (RFC 6901).
    by : str
        The model that wrote it; empty for the built-in answerer.
    unsupported : tuple of Unsupported
        What a model wrote that nothing bears out; it is None in ``value``.
    attempts : int
        How often a model was asked.
    tokens : Tokens
    cost : Money
    trace : str
    times : mapping of str to float
    """

    question: str
    value: Any
    fields: Mapping[str, ExtractedField]
    by: str = ""
    unsupported: tuple[Unsupported, ...] = ()
    attempts: int = 0
    tokens: Tokens = field(default_factory=Tokens)
    cost: Money = field(default_factory=Money)
    trace: str = ""
    times: Mapping[str, float] | None = None
    make: Callable[[Any], Any] = field(default=lambda value: value, repr=False, compare=False)

    @property
    def missing(self) -> tuple[str, ...]:
        """JSON Pointers of the fields that the documents do not say."""
        return tuple(location for location, one in self.fields.items() if one.value in (None, []))

    @property
    def citations(self) -> tuple[Citation, ...]:
        """All that it rests on, in order."""
        found = {one.number: one for field in self.fields.values() for one in field.citations}
        return tuple(found[number] for number in sorted(found))

    def with_citations(self, citations: Sequence[Citation]) -> Extracted:
        """The same with other citations of the same numbers."""
        known = {one.number: one for one in citations}
        fields = {
            location: replace(field, citations=tuple(known[one.number] for one in field.citations))
            for location, field in self.fields.items()
        }
        return replace(self, fields=fields)

    @property
    def object(self) -> Any:
        """The value as an object of the class that was given.

        Raises
        ------
        CallError
            The class demands a field that the documents do not say.
        """
        try:
            return self.make(self.value)
        except ValueError as error:
            missing = ", ".join(self.missing) or "none"
            raise CallError(
                f"the class does not take what was found: {error}",
                f"missing fields: {missing}",
                "let these fields be None, or use .value",
            ) from None
