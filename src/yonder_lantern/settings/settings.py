"""The settings, section by section, each with its default."""

from __future__ import annotations

import os
from typing import Annotated, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import msgspec
from msgspec import Meta

from ..core import Limits
from .house_rules import HouseRuleSettings
from .profile import ModelProfile
from .section import Label, Section, check_amount
from .services import ServiceSettings
from .sources import FolderSettings, SourceSettings

Weight = Annotated[float, Meta(ge=-2, le=2)]


class DeskSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What the desk is called and which clock it lives by."""

    name: str = "Desk"
    timezone: str = "UTC"
    language: str = ""

    def __post_init__(self) -> None:
        """Refuse a time zone that does not exist."""
        try:
            ZoneInfo(self.timezone)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise ValueError(f"timezone: no such time zone: {self.timezone!r}") from None

    @property
    def zone(self) -> ZoneInfo:
        """The time zone that dates without one are read in."""
        return ZoneInfo(self.timezone)


class GatherSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Limits on what is taken in, and how it is done.

    ``image_service`` is the name of an ``[service.NAME]`` that says what images show.
    """

    max_megabytes: Annotated[float, Meta(gt=0, le=2000)] = 20.0
    max_expanded_megabytes: Annotated[float, Meta(gt=0, le=20_000)] = 200.0
    max_pages: Annotated[int, Meta(ge=1, le=1_000_000)] = 2000
    max_depth: Annotated[int, Meta(ge=2, le=500)] = 60
    seconds_per_item: Annotated[float, Meta(gt=0, le=86_400)] = 60.0
    max_memory_megabytes: Annotated[float, Meta(ge=300, le=1_000_000)] = 1000.0
    processes: Annotated[int, Meta(ge=0, le=256)] = 0
    max_price: str = "0"
    image_service: str = ""
    refresh_before_answering: bool = False

    def __post_init__(self) -> None:
        """Refuse a price that is no amount."""
        check_amount("max_price", self.max_price)

    @property
    def limits(self) -> Limits:
        """What one item may be."""
        return Limits(
            bytes=int(self.max_megabytes * 1_000_000),
            expanded_bytes=int(self.max_expanded_megabytes * 1_000_000),
            pages=self.max_pages,
            depth=self.max_depth,
            seconds=self.seconds_per_item,
            memory=int(self.max_memory_megabytes * 1_000_000),
        )

    @property
    def workers(self) -> int:
        """How many processes read documents: as many as there are cores, if not said."""
        if hasattr(os, "sched_getaffinity"):  # not on every system
            return self.processes or len(os.sched_getaffinity(0))
        return self.processes or os.cpu_count() or 1


class PassageSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How documents are cut; sizes in words and punctuation marks.

    ``max_tokens`` is what a passage may have at the very most: a line, row or sentence that
    alone has more is divided. 0 leaves that to the embedding.
    """

    tokens: Annotated[int, Meta(ge=20, le=4000)] = 180
    overlap: Annotated[int, Meta(ge=0, le=1000)] = 30
    max_tokens: Annotated[int, Meta(ge=0, le=100_000)] = 0
    boundaries: Literal["structure", "meaning"] = "structure"

    def __post_init__(self) -> None:
        """Refuse an overlap that would repeat most of every passage."""
        if self.overlap * 2 > self.tokens:
            raise ValueError("overlap: it can be at most half of tokens")
        if 0 < self.max_tokens < self.tokens:
            raise ValueError("max_tokens: it cannot be less than tokens")


class EmbeddingSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How passages become vectors, and in which form these are kept.

    ``lexicon`` is the folder of an adapted lexicon; ``learn_from`` and ``retrain_at``
    are for the methods ``lexicon`` and ``latent``, as are ``dimensions``, of the latent
    vectors; ``model`` and ``max_length`` for ``encoder``; ``service`` for ``remote``; ``vectors``,
    a file, for ``fixed``.
    """

    method: str = "lexicon"
    lexicon: str = ""
    dimensions: Annotated[int, Meta(ge=2, le=1024)] = 256
    learn_from: Label = "public"
    retrain_at: Annotated[float, Meta(ge=0, le=1)] = 0.2
    model: str = ""
    max_length: Annotated[int, Meta(ge=16, le=8192)] = 256
    service: str = ""
    vectors: str = ""
    question_prefix: str = ""
    passage_prefix: str = ""
    dtype: Literal["float32", "float16", "int8"] = "float32"
    approximate_from: Annotated[int, Meta(ge=0)] = 200_000


class WeightSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What each feature of a passage adds to its score, or takes from it.

    Each feature is between 0 and 1; see `yonder_lantern.search.features`.
    """

    coverage: Weight = 0.1
    nearness: Weight = 0.0
    phrase: Weight = 0.1
    heading: Weight = 0.0
    codes: Weight = 0.1
    opening: Weight = 0.1
    length: Weight = 0.05
    freshness: Weight = 0.0
    agreement: Weight = 0.0
    asking: Weight = -0.7

    @classmethod
    def none(cls) -> WeightSettings:
        """No feature counts."""
        return cls(**dict.fromkeys(cls.__struct_fields__, 0.0))


class FindSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How many passages are found and how they are ranked.

    ``lexical_weight`` is what the lexical stage counts, the vector stage counts the
    rest; left out, it is as the embedding method proposes. ``document_share`` is how
    much a passage's whole document counts beside it in both stages.
    """

    limit: Annotated[int, Meta(ge=1, le=1000)] = 8
    lexical_weight: Annotated[float, Meta(ge=0, le=1)] | None = None
    document_share: Annotated[float, Meta(ge=0, le=1)] = 0.4
    fusion: Literal["scores", "ranks"] = "scores"
    candidates: Annotated[int, Meta(ge=10, le=10_000)] = 100
    per_document: Annotated[int, Meta(ge=0, le=1000)] = 0
    neighbours: Annotated[int, Meta(ge=0, le=20)] = 0
    join: bool = True
    spelling: bool = True
    glossary: dict[str, str] = msgspec.field(default_factory=dict)
    weights: WeightSettings = WeightSettings()
    question_characters: Annotated[int, Meta(ge=100, le=100_000)] = 4000


class AnswerSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Who answers, how sure an answer has to be, how long it may get, what it may cost.

    ``model`` is the profile of a model server, or the name of a file that holds one; empty,
    the built-in answerer answers. ``unsupported`` is what becomes of a sentence that its
    citations do not bear out, and ``min_supported`` the share of sentences that must be left;
    ``tone``, ``language`` and ``length`` are for the prompt, and so are ``values``, the
    organisation's own names with what stands for each where a query brings nothing else. The
    prices are limits: one for an answer, one for a day (UTC); empty is none.
    """

    min_support: Annotated[float, Meta(ge=0, le=1)] = 0.5
    statements: Annotated[int, Meta(ge=1, le=20)] = 4
    model: str | ModelProfile = ""
    unsupported: Literal["remove", "mark"] = "remove"
    min_supported: Annotated[float, Meta(ge=0, le=1)] = 0.5
    tone: str = "plain and friendly"
    language: str = ""
    length: str = "no longer than the question needs"
    values: dict[Annotated[str, Meta(pattern=r"^[a-z_][a-z0-9_]*$")], str] = msgspec.field(
        default_factory=dict
    )
    max_price: str = ""
    max_price_a_day: str = ""

    def __post_init__(self) -> None:
        """Refuse a price that is no amount."""
        check_amount("max_price", self.max_price or "0")
        check_amount("max_price_a_day", self.max_price_a_day or "0")


class GradeSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What grading pins, so that two runs can be compared."""

    questions: str = "questions.jsonl"
    as_of: str = ""
    seed: int = 1
    depth: Annotated[int, Meta(ge=5, le=1000)] = 50
    resamples: Annotated[int, Meta(ge=100, le=100_000)] = 2000


class Settings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Everything in ``yonder.toml``.

    Examples
    --------
    >>> Settings().find.limit
    8
    """

    desk: DeskSettings = DeskSettings()
    source: tuple[SourceSettings, ...] = (FolderSettings(name="documents"),)
    service: dict[str, ServiceSettings] = msgspec.field(default_factory=dict)
    gather: GatherSettings = GatherSettings()
    passages: PassageSettings = PassageSettings()
    embedding: EmbeddingSettings = EmbeddingSettings()
    find: FindSettings = FindSettings()
    answer: AnswerSettings = AnswerSettings()
    grade: GradeSettings = GradeSettings()
    house_rule: tuple[HouseRuleSettings, ...] = ()

    def __post_init__(self) -> None:
        """Refuse two sources of one name: their documents could not be told apart."""
        names = [source.name for source in self.source]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"source: two sources are called {name!r}")
