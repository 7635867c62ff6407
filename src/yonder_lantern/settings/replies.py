"""The ``[[fixed_reply]]``, ``[[dialogue]]`` and ``[look_up.NAME]`` sections."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit

import msgspec
from msgspec import Meta

from .section import Label, Section

Name = Annotated[str, Meta(pattern=r"^[a-z][a-z0-9_]*$")]
ValueKind = Literal["text", "number", "date", "choice", "yes or no"]
END = "end"


class LookUpSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A live value, fetched over HTTP or from a Python function when a question is asked.

    ``{name}`` in the address, the headers or the body stands for a value that is known then: of
    the dialogue, of an earlier look-up (``{tide.height}``), of the query, ``date``, ``time``.

    Parameters
    ----------
    address
        What is fetched. ``{name}`` may not stand in the host.
    function
        Instead: the name of a function that the program gave, see ``Desk.open``.
    body
        Sent as JSON by POST. Without it the address is fetched by GET.
    headers
        Headers of the request. Write secrets as ``${NAME}``.
    values
        Names for what the reply holds, each a JSON Pointer (RFC 6901).
    title
        What its citation is called.
    timeout
        Seconds that it may take.
    cache
        Seconds that a reply may be used again.
    audience
        Who may be told.
    """

    address: str = ""
    function: str = ""
    body: dict[str, Any] = msgspec.field(default_factory=dict)
    headers: dict[str, str] = msgspec.field(default_factory=dict)
    values: dict[Name, str] = msgspec.field(default_factory=dict)
    title: str = ""
    timeout: Annotated[float, Meta(gt=0, le=120)] = 5.0
    cache: Annotated[float, Meta(ge=0, le=86_400)] = 0.0
    audience: tuple[Label, ...] = ("public",)

    def __post_init__(self) -> None:
        """Refuse a look-up of nothing, or one whose host a caller could choose."""
        if bool(self.address) == bool(self.function):
            raise ValueError("address: a look-up has either an address or a function")
        parts = urlsplit(self.address)
        if self.address and parts.scheme not in ("http", "https"):
            raise ValueError("address: only http and https addresses are asked")
        if re.search(r"(?<!\$)\{", parts.netloc):
            raise ValueError("address: a value may not stand in the host")


class CaseSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A text of a fixed reply that is given under a condition.

    Parameters
    ----------
    when
        The condition, as in ``--where``: ``time < '09:00'``, ``tide.height < 2``.
    text
        The text, a Jinja2 template.
    """

    when: str
    text: str


class FixedReplySettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What is always answered the same way, for questions like some given ones.

    Parameters
    ----------
    name
        Name of the reply.
    phrasings
        Questions that it answers; three to six different wordings do well.
    text
        The answer, a Jinja2 template: ``High water is at {{ tide.at }}.``
    case
        ``[[fixed_reply.case]]``: other texts, each under a condition; the first that holds counts.
    look_ups
        Looked up before, in this order.
    when
        The condition under which it is given at all; otherwise the documents answer.
    documents
        Add what the documents answer.
    failed
        Said when a look-up fails.
    audience
        Whom it is given to.
    """

    name: Annotated[str, Meta(min_length=1)]
    phrasings: Annotated[tuple[str, ...], Meta(min_length=1)]
    text: str = ""
    case: tuple[CaseSettings, ...] = ()
    look_ups: tuple[str, ...] = ()
    when: str = ""
    documents: bool = False
    failed: str = "This cannot be looked up at the moment."
    audience: tuple[Label, ...] = ("public",)

    def __post_init__(self) -> None:
        """Refuse a reply that says nothing."""
        if not self.text and not self.case:
            raise ValueError("text: a fixed reply says something")


class NextSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where a dialogue goes on.

    Parameters
    ----------
    step
        Name of the step; ``end`` ends it.
    when
        The condition; none: always.
    """

    step: str
    when: str = ""


class StepSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A step of a dialogue: it asks for a value, or says something.

    Parameters
    ----------
    name
        Name of the step, and of the value it asks for.
    ask
        The question to the person, a Jinja2 template.
    say
        Instead: what is said, a Jinja2 template.
    kind
        What the value must be.
    choices
        For ``choice``: what there is to choose from.
    least
        Smallest number.
    most
        Largest number.
    pattern
        A regular expression that a text must match as a whole.
    wrong
        Said when the value is not one.
    look_ups
        Looked up before the step speaks.
    failed
        Said when a look-up fails; the dialogue ends.
    next
        ``[[dialogue.step.next]]``: where it goes on. The first whose condition holds counts; none:
        the step below.
    """

    name: Name
    ask: str = ""
    say: str = ""
    kind: ValueKind = "text"
    choices: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None
    pattern: str = ""
    wrong: str = ""
    look_ups: tuple[str, ...] = ()
    failed: str = "This cannot be looked up at the moment."
    next: tuple[NextSettings, ...] = ()

    def __post_init__(self) -> None:
        """Refuse a step that does nothing, or whose value could never be one."""
        if bool(self.ask) == bool(self.say):
            raise ValueError("ask: a step either asks or says something")
        if (self.kind == "choice") != bool(self.choices):
            raise ValueError("choices: they go with kind = 'choice'")
        if self.pattern:
            import regex

            try:
                regex.compile(self.pattern)
            except regex.error as error:
                raise ValueError(f"pattern: no regular expression: {error}") from None


class DialogueSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A short fixed conversation: some values asked for, and what is made of them.

    Parameters
    ----------
    name
        Name of the dialogue.
    phrasings
        Questions that begin it.
    step
        ``[[dialogue.step]]``: its steps, the first one first.
    audience
        Whom it is held with.
    """

    name: Annotated[str, Meta(min_length=1)]
    phrasings: Annotated[tuple[str, ...], Meta(min_length=1)]
    step: Annotated[tuple[StepSettings, ...], Meta(min_length=1)]
    audience: tuple[Label, ...] = ("public",)

    def __post_init__(self) -> None:
        """Refuse steps of one name, and ways that lead nowhere."""
        names = [one.name for one in self.step]
        for name in names:
            if names.count(name) > 1 or name == END:
                raise ValueError(f"step: the name {name!r} is taken")
        for one in self.step:
            for further in one.next:
                if further.step not in (*names, END):
                    raise ValueError(f"step: there is no step {further.step!r}")
