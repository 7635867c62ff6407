"""Settings of what is worked out over several steps, and of the names of things."""

from __future__ import annotations

from typing import Annotated, Literal

import regex
from msgspec import Meta

from .section import Section


class SeveralStepsSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Questions that no single passage answers: taken apart, and searched for step by step.

    Parameters
    ----------
    enabled
        Take such questions apart. Questions that one search answers cost nothing more.
    plan
        Who takes a question apart: ``"rules"``, or the ``"model"`` that answers, which is one more
        call for each question; what it proposes is checked, and followed in the same way.
    max_searches
        Searches of one question at most.
    seconds
        After this long no further search is begun.
    statements
        Also use the statements about entities in the hits (`yonder look --entity`), to reach
        passages that share no words with the question.
    min_support
        Support from which an answer of several steps is given: it is estimated otherwise than that
        of one search.
    min_excerpt_support
        Support from which, below that, what the steps found is shown.
    """

    enabled: bool = True
    plan: Literal["rules", "model"] = "rules"
    max_searches: Annotated[int, Meta(ge=2, le=100)] = 12
    seconds: Annotated[float, Meta(gt=0, le=3600)] = 20.0
    statements: bool = False
    min_support: Annotated[float, Meta(ge=0, le=1)] = 0.3
    min_excerpt_support: Annotated[float, Meta(ge=0, le=1)] = 0.15


class EntitySettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A thing that documents speak of, and its names.

    Parameters
    ----------
    name
        What it is called.
    also
        Other names that mean the same: joined with it.
    apart
        Names that look like one of its names and mean something else: never joined.
    kind
        What it is: ``"vessel"``. Shown on its card, and listed by `yonder look --entities --kind`.
    """

    name: Annotated[str, Meta(min_length=1)]
    also: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    kind: str = ""


class EntityKindSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A kind of thing, told by how its names are written.

    Parameters
    ----------
    name
        What such things are: ``"pump"``.
    pattern
        A regular expression that fits the whole of a name: ``'PU-\\d+'``.
    """

    name: Annotated[str, Meta(min_length=1)]
    pattern: Annotated[str, Meta(min_length=1)]

    def __post_init__(self) -> None:
        """Refuse what is no regular expression."""
        try:
            regex.compile(self.pattern)
        except regex.error as error:
            raise ValueError(f"pattern: no regular expression: {error}") from None


class RelationSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A relation that documents state, and the words that they state it in.

    Parameters
    ----------
    name
        As statements have it: ``"lies at"``. Sentences of the form "X lies at Y" are read.
    also
        Other words for it in sentences, and the columns and labels that mean the same:
        ``["is moored to", "Berth"]``.
    """

    name: Annotated[str, Meta(min_length=1)]
    also: tuple[Annotated[str, Meta(min_length=1)], ...] = ()
