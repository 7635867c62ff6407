"""What a document says of something, bound to the words that say so."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Self

from .documents import Document


@dataclass(frozen=True, slots=True)
class EntityStatement:
    """Something said of an entity.

    Attributes
    ----------
    subject, relation, object : str
        As the document has them: "Boat lift", "lifts", "60 tonnes".
    document, version : str
    start, end : int
        The words that say so: half-open code-point range of the document's text.
    audience : tuple of str
        Of the document.
    valid_from, valid_until : str
        When it holds, by dates of its own within those of its document, in UTC (ISO 8601); empty
        is open: valid time.
    recorded, withdrawn : str
        When it was read, and when the document no longer said so: recorded time.
    way : {"table", "term", "abbreviation", "sentence", "model", "note"}
        Where it was read from, or by whom; tables and terms are surest.
    """

    subject: str
    relation: str
    object: str
    document: str
    version: str
    start: int
    end: int
    audience: tuple[str, ...]
    valid_from: str = ""
    valid_until: str = ""
    recorded: str = ""
    withdrawn: str = ""
    way: str = "sentence"

    @classmethod
    def read_from(
        cls,
        document: Document,
        told: tuple[str, str, str],
        span: tuple[int, int],
        way: str,
    ) -> Self:
        """What a span of a document says: subject, relation and object; it holds as that does."""
        subject, relation, value = told
        return cls(
            subject=subject,
            relation=relation,
            object=value,
            document=document.id,
            version=document.version,
            start=span[0],
            end=span[1],
            audience=tuple(sorted(document.audience)),
            valid_from=document.valid_from.isoformat() if document.valid_from else "",
            valid_until=document.valid_until.isoformat() if document.valid_until else "",
            way=way,
        )

    def holds_at(self, moment: str) -> bool:
        """Whether it is said, and holds, at a moment in UTC."""
        begun = not self.valid_from or self.valid_from <= moment
        over = bool(self.valid_until) and self.valid_until <= moment
        return begun and not over


@dataclass(frozen=True, slots=True)
class EntityCard:
    """What is said of an entity.

    Attributes
    ----------
    name : str
        As it is written most often.
    also : mapping of str to str
        Other names, and why they mean the same.
    says : tuple of EntityStatement
        What is said of it, that holds.
    named_in : tuple of EntityStatement
        What is said of others that names it.
    earlier : tuple of EntityStatement
        What was said of it, and holds no more.
    kind : str
        What it is, where the settings say so.
    noted : tuple of EntityStatement
        What notes say of it, which no document need bear out.
    """

    name: str
    also: dict[str, str]
    says: tuple[EntityStatement, ...]
    named_in: tuple[EntityStatement, ...]
    earlier: tuple[EntityStatement, ...]
    kind: str = ""
    noted: tuple[EntityStatement, ...] = ()


@dataclass(frozen=True, slots=True)
class EntityPath:
    """How two entities are connected: statements, each naming something that the next one names.

    Attributes
    ----------
    names : tuple of str
        From the one to the other, one more than statements.
    statements : tuple of EntityStatement
    """

    names: tuple[str, ...]
    statements: tuple[EntityStatement, ...]
