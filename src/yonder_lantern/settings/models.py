"""The settings, section by section, each with its default."""

from __future__ import annotations

from typing import Annotated
from zoneinfo import ZoneInfo, available_timezones

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

Label = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]*$")]


class _Section(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class DeskSettings(_Section):
    """What the desk is called and which clock it lives by."""

    name: str = "Desk"
    timezone: str = "UTC"
    language: str = ""

    @field_validator("timezone")
    @classmethod
    def _known_zone(cls, value: str) -> str:
        if value not in available_timezones():
            raise ValueError(f"no such time zone: {value!r}")
        return value

    @property
    def zone(self) -> ZoneInfo:
        """The time zone that dates without one are read in."""
        return ZoneInfo(self.timezone)


class SourceSettings(_Section):
    """One place documents come from."""

    name: Label
    folder: str = "documents"
    include: list[str] = ["**/*"]
    exclude: list[str] = []
    audience: Annotated[list[Label], Field(min_length=1)] = ["public"]
    language: str = ""


class GatherSettings(_Section):
    """Limits on what is taken in."""

    max_megabytes: Annotated[float, Field(gt=0, le=2000)] = 20.0


class PassageSettings(_Section):
    """How documents are cut; sizes in words and punctuation marks."""

    tokens: Annotated[int, Field(ge=20, le=4000)] = 180
    overlap: Annotated[int, Field(ge=0, le=1000)] = 30

    @model_validator(mode="after")
    def _overlap_is_smaller(self) -> PassageSettings:
        if self.overlap * 2 > self.tokens:
            raise ValueError("overlap can be at most half of tokens")
        return self


class EmbeddingSettings(_Section):
    """The vectors of the passages, learned from the documents themselves."""

    dimensions: Annotated[int, Field(ge=2, le=1024)] = 128
    learn_from: Label = "public"
    retrain_at: Annotated[float, Field(ge=0, le=1)] = 0.2


class FindSettings(_Section):
    """How many passages are found and how the two stages are weighed."""

    limit: Annotated[int, Field(ge=1, le=1000)] = 8
    lexical_weight: Annotated[float, Field(ge=0, le=1)] = 0.6
    question_characters: Annotated[int, Field(ge=100, le=100_000)] = 4000


class AnswerSettings(_Section):
    """How sure an answer has to be and how long it may get."""

    min_support: Annotated[float, Field(ge=0, le=1)] = 0.5
    statements: Annotated[int, Field(ge=1, le=20)] = 4


class GradeSettings(_Section):
    """What grading pins, so that two runs can be compared."""

    questions: str = "questions.jsonl"
    as_of: str = ""
    seed: int = 1
    depth: Annotated[int, Field(ge=5, le=1000)] = 50
    resamples: Annotated[int, Field(ge=100, le=100_000)] = 2000


class Settings(_Section):
    """Everything in ``yonder.toml``.

    Examples
    --------
    >>> Settings().find.limit
    8
    """

    desk: DeskSettings = DeskSettings()
    source: list[SourceSettings] = [SourceSettings(name="documents")]
    gather: GatherSettings = GatherSettings()
    passages: PassageSettings = PassageSettings()
    embedding: EmbeddingSettings = EmbeddingSettings()
    find: FindSettings = FindSettings()
    answer: AnswerSettings = AnswerSettings()
    grade: GradeSettings = GradeSettings()

    @field_validator("source")
    @classmethod
    def _names_are_unique(cls, sources: list[SourceSettings]) -> list[SourceSettings]:
        names = [source.name for source in sources]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"two sources are called {name!r}")
        return sources
