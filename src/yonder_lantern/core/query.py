"""A question with all that shapes what is found and answered for it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from pathlib import Path
from typing import Any, Literal, TypedDict

from .control import Control
from .protocols import Cancel
from .visibility import Caller
from .ways import DialogueState

Stage = Literal["both", "lexical", "vector"]
OnlyWay = Literal["any", "replies", "documents"]


class QueryParts(TypedDict, total=False):
    """What `Query` has besides its text, for callers who give a plain string."""

    limit: int | None
    audience: Iterable[str] | None
    as_of: str | date | datetime | None
    earlier: Sequence[str]
    choices: Sequence[str]
    dialogue: DialogueState | None
    preferences: Sequence[str]
    standalone: bool
    way: OnlyWay
    where: str
    image: str | Path | bytes | None
    stage: Stage
    similar_to: str
    vector: Any
    documents: bool
    values: Mapping[str, str]
    timeout: float | None
    cancel: Cancel | None


@dataclass(frozen=True, slots=True)
class Query:
    """A question with all that shapes what is found and answered for it.

    Every call that takes a question takes one of these, or a string and its parts.

    Attributes
    ----------
    text : str
        May be empty with ``similar_to`` or ``vector``.
    limit : int, optional
        How many passages at most; ``find.limit`` by default.
    audience : iterable of str, optional
        The caller's labels. None is the owner, who sees everything.
    as_of : str, date or datetime, optional
        Only what was valid then; now by default.
    earlier : sequence of str
        Questions asked before, which this one may lean on.
    choices : sequence of str
        What the answer before asked back (`Answer.choices`): a question that only names
        one of them is about the one before it.
    dialogue : DialogueState, optional
        Where a dialogue stands (`Answer.dialogue`): the text is taken for the value it waits for.
    preferences : sequence of str
        What the person said of themselves: "my boat is 11 m". Used where the question speaks of
        the person, or of the same thing.
    standalone : bool, default False
        Whether it is to be taken as it is, though it may seem to lean on what was asked before.
    way : {"any", "replies", "documents"}
        Who may answer: the fixed replies, the documents, or whichever suits.
    where : str
        A condition on metadata, as in SQL: ``kind = 'notice' AND year >= 2025``.
    image : path or bytes, optional
        What it shows is searched for as well; see `Desk.describe_image`.
    stage : {"both", "lexical", "vector"}
        One stage alone: its own scores, and nothing else.
    similar_to : str
        A passage that hits should be like in meaning: its document, with ``#OFFSET`` for
        another passage than the first. It is left out itself.
    vector : array-like of float, optional
        To be used in place of the question's own; of the index's dimensions.
    documents : bool, default True
        Whether a model gets the passages; without, it answers from its memory alone, which
        is for comparing, and nothing is checked.
    values : mapping of str to str
        For the desk's own prompts, in place of those that ``answer.values`` sets: the
        caller's name, a product, a tone.
    timeout : float, optional
        Seconds that it may take.
    cancel : Cancel, optional
        Looked at between the steps.

    Examples
    --------
    >>> Query("When is it open?", audience=["public"]).with_parts({"limit": 3}).limit
    3
    """

    text: str
    limit: int | None = field(default=None, kw_only=True)
    audience: Iterable[str] | None = field(default=None, kw_only=True)
    as_of: str | date | datetime | None = field(default=None, kw_only=True)
    earlier: Sequence[str] = field(default=(), kw_only=True)
    choices: Sequence[str] = field(default=(), kw_only=True)
    dialogue: DialogueState | None = field(default=None, kw_only=True)
    preferences: Sequence[str] = field(default=(), kw_only=True)
    standalone: bool = field(default=False, kw_only=True)
    way: OnlyWay = field(default="any", kw_only=True)
    where: str = field(default="", kw_only=True)
    image: str | Path | bytes | None = field(default=None, kw_only=True)
    stage: Stage = field(default="both", kw_only=True)
    similar_to: str = field(default="", kw_only=True)
    vector: Any = field(default=None, kw_only=True, compare=False, repr=False)
    documents: bool = field(default=True, kw_only=True)
    values: Mapping[str, str] = field(default_factory=dict, kw_only=True)
    timeout: float | None = field(default=None, kw_only=True)
    cancel: Cancel | None = field(default=None, kw_only=True, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Keep sequences as tuples: an iterator would be empty at its second use."""
        for name in ("audience", "earlier", "choices", "preferences"):
            given = getattr(self, name)
            if given is not None and not isinstance(given, tuple):
                kept = (given,) if isinstance(given, str) else tuple(given)
                object.__setattr__(self, name, kept)

    def with_parts(self, parts: QueryParts) -> Query:
        """The same question with some parts replaced."""
        return replace(self, **parts)


@dataclass(frozen=True, slots=True)
class ResolvedQuery:
    """A query ready to be searched for: standing alone, within the house rules, of one caller.

    Attributes
    ----------
    question : str
    caller : Caller
        Who asks, and for when.
    background : str
        What was asked before, where the question leans on it; its words count half.
    where : str
        A condition on metadata that documents must fulfil.
    stage : {"both", "lexical", "vector"}
        Which stages are used.
    vector : float32 array or None
        A vector to use in place of the question's own.
    similar_to : str
        A passage (``DOCUMENT``, ``DOCUMENT#OFFSET``) whose vector is used instead; it is
        left out itself.
    declined : str
        The words of a house rule that decline the question; nothing is searched then.
    way : {"any", "replies", "documents"}
        Who may answer.
    dialogue : DialogueState or None
        The dialogue that waits for a value.
    preferences : tuple of str
        What the person said of themselves that the answer may need.
    rules : tuple of str
        The house rules that changed or declined the question.
    limit : int or None
        How many passages at most; `find.limit` without.
    documents : bool
        Whether a model gets the passages.
    values : mapping of str to str
        What the desk's own prompts may use.
    control : Control
        Ends the work early: a signal, a deadline.
    """

    question: str
    caller: Caller = field(default_factory=Caller)
    background: str = ""
    where: str = ""
    stage: Stage = "both"
    vector: Any = field(default=None, compare=False, repr=False)
    similar_to: str = ""
    declined: str = ""
    way: OnlyWay = "any"
    dialogue: DialogueState | None = None
    preferences: tuple[str, ...] = ()
    rules: tuple[str, ...] = ()
    limit: int | None = None
    documents: bool = True
    values: Mapping[str, str] = field(default_factory=dict)
    control: Control = field(default_factory=Control, compare=False, repr=False)

    def limit_or(self, usual: int) -> int:
        """How many passages at most, where the query names none."""
        return usual if self.limit is None else self.limit

    def with_preferences(self) -> ResolvedQuery:
        """The same behind what the person said of themselves."""
        told = " ".join(f"{one}." for one in self.preferences)
        return replace(self, background=f"{told} {self.background}".strip(), preferences=())

    @property
    def rewritten(self) -> str:
        """What is searched for: the question behind the one it leans on."""
        return f"{self.background} {self.question}".strip()


def query_of(query: Query | str, parts: QueryParts) -> Query:
    """A query of what a caller gave: one as it is, or a text, and parts that replace its own."""
    whole = Query(query) if isinstance(query, str) else query
    return whole.with_parts(parts) if parts else whole
