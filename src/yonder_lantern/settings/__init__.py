"""``yonder.toml`` as typed settings.

In: a folder and overrides. Out: a `Settings`, or a `SettingsError` that names
the key, its line and the nearest known name. This package reads the settings
file and the environment, and nothing else.
"""

from .house_rules import DECLINED, READY_PATTERNS, HouseRuleSettings
from .load import SETTINGS_FILE, load_profile, load_settings, parse_override
from .models import (
    AnswerSettings,
    DeskSettings,
    EmbeddingSettings,
    FindSettings,
    GatherSettings,
    GradeSettings,
    PassageSettings,
    Settings,
    WeightSettings,
)
from .moments import parse_duration, parse_moment
from .outside import OutsideSettings
from .profile import ModelProfile, PriceSettings, StreamSettings
from .sources import (
    KINDS,
    FeedSettings,
    FolderSettings,
    HeldSettings,
    OtherSettings,
    RecordingSettings,
    RepositorySettings,
    Rule,
    SiteSettings,
    SourceSettings,
    TableSettings,
    without_password,
)

__all__ = [
    "DECLINED",
    "KINDS",
    "READY_PATTERNS",
    "SETTINGS_FILE",
    "AnswerSettings",
    "DeskSettings",
    "EmbeddingSettings",
    "FeedSettings",
    "FindSettings",
    "FolderSettings",
    "GatherSettings",
    "GradeSettings",
    "HeldSettings",
    "HouseRuleSettings",
    "ModelProfile",
    "OtherSettings",
    "OutsideSettings",
    "PassageSettings",
    "PriceSettings",
    "RecordingSettings",
    "RepositorySettings",
    "Rule",
    "Settings",
    "SiteSettings",
    "SourceSettings",
    "StreamSettings",
    "TableSettings",
    "WeightSettings",
    "load_profile",
    "load_settings",
    "parse_duration",
    "parse_moment",
    "parse_override",
    "without_password",
]
