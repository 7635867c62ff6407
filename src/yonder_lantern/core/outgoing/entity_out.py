"""What is said of things, as it goes out."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from ..entity_statement import EntityCard, EntityStatement


class EntityStatementOut(msgspec.Struct, frozen=True):
    """Something said of a thing, and the span of a document, or the note, that says so."""

    subject: str
    relation: str
    object: str
    document: str
    version: str
    start: int
    end: int
    valid_from: str
    valid_until: str
    recorded: str
    withdrawn: str
    way: str

    @classmethod
    def all_of(cls, statements: Iterable[EntityStatement]) -> list[EntityStatementOut]:
        """Some statements as they go out."""
        return [
            cls(
                one.subject, one.relation, one.object, one.document, one.version, one.start,
                one.end, one.valid_from, one.valid_until, one.recorded, one.withdrawn, one.way,
            )
            for one in statements
        ]  # fmt: skip


class EntityCardOut(msgspec.Struct, frozen=True):
    """What is said of a thing: ``yonder look --entity NAME --json``."""

    name: str
    kind: str
    also: dict[str, str]
    says: list[EntityStatementOut]
    named_in: list[EntityStatementOut]
    noted: list[EntityStatementOut]
    earlier: list[EntityStatementOut]

    @classmethod
    def of(cls, card: EntityCard) -> EntityCardOut:
        """A card as it goes out."""
        every = EntityStatementOut.all_of
        return cls(
            name=card.name,
            kind=card.kind,
            also=dict(card.also),
            says=every(card.says),
            named_in=every(card.named_in),
            noted=every(card.noted),
            earlier=every(card.earlier),
        )


class EntityNameOut(msgspec.Struct, frozen=True):
    """A thing, and how much is said of it."""

    name: str
    statements: int


class EntitiesOut(msgspec.Struct, frozen=True):
    """The things that most is said of."""

    entities: list[EntityNameOut]
