"""The ``[[house_rule]]`` sections: what becomes of what must not come in or go out."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from .section import Section

Moment = Literal["asked", "answered", "gathered", "sent"]
READY_PATTERNS = ("mail address", "telephone number", "card number")


class HouseRuleSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One rule: when it looks, at what, and what is then done.

    Parameters
    ----------
    when
        Any of ``asked``, ``answered``, ``gathered``, ``sent``; see docs/howto/house-rules.md.
    then
        Mask what was found, drop its sentence, or decline: a question or an answer by ``words``, a
        document by leaving it out.
    pattern
        ``mail address``, ``telephone number``, ``card number``, or a regular expression.
    topic
        Instead of a pattern: words, separated by commas.
    words
        Text of a refusal, for rules that decline.
    name
        Name of the rule, shown where it acts.
    """

    when: Annotated[tuple[Moment, ...], Meta(min_length=1)]
    then: Literal["mask", "drop", "decline"]
    pattern: str = ""
    topic: str = ""
    words: str = ""
    name: str = ""

    def __post_init__(self) -> None:
        """Refuse a rule that looks for nothing, or whose expression is none."""
        if bool(self.pattern.strip()) == bool(self.topic.strip()):
            raise ValueError("pattern: a house rule has either a pattern or a topic")
        if self.words and self.then != "decline":
            raise ValueError("words: only a rule that declines has words")
        if not self.pattern or self.pattern in READY_PATTERNS:
            return
        import regex

        try:
            found = regex.compile(self.pattern).match("", timeout=1.0)
        except (regex.error, TimeoutError) as error:
            raise ValueError(f"pattern: no regular expression: {error}") from None
        if found:
            raise ValueError("pattern: it fits everywhere, for it fits an empty text")

    @property
    def called(self) -> str:
        """What it is called where it acts."""
        return self.name or self.pattern or self.topic


DECLINED = "A rule of this desk is in the way of answering this."
