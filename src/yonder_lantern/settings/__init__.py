"""``yonder.toml`` as typed settings.

In: a folder and overrides. Out: a `Settings`, or a `SettingsError` that names
the key, its line and the nearest known name. This package reads the settings
file and the environment, and nothing else.
"""

from .load import SETTINGS_FILE, load_settings, parse_override
from .models import (
    AnswerSettings,
    DeskSettings,
    EmbeddingSettings,
    FindSettings,
    GatherSettings,
    GradeSettings,
    PassageSettings,
    Settings,
    SourceSettings,
)
from .moments import parse_moment

__all__ = [
    "SETTINGS_FILE",
    "AnswerSettings",
    "DeskSettings",
    "EmbeddingSettings",
    "FindSettings",
    "GatherSettings",
    "GradeSettings",
    "PassageSettings",
    "Settings",
    "SourceSettings",
    "load_settings",
    "parse_moment",
    "parse_override",
]
