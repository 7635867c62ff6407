"""``yonder.toml`` as typed settings.

In: a folder and overrides. Out: a `Settings`, or a `SettingsError` that names
the key, its line and the nearest known name. This package reads the settings
file and the environment, and nothing else.
"""

from .find_settings import FindSettings, WeightSettings
from .house_rules import DECLINED, READY_PATTERNS, HouseRuleSettings
from .knowledge_settings import (
    EntityKindSettings,
    EntitySettings,
    RelationSettings,
    SeveralStepsSettings,
)
from .load import (
    COMPLETE,
    RESTORING,
    SETTINGS_FILE,
    STATE_FOLDER,
    by_dotted_key,
    load_profile,
    load_settings,
    model_profile,
    parse_override,
    with_overrides,
)
from .moments import parse_duration, parse_moment
from .profile import ModelProfile, PriceSettings, StreamSettings
from .reading_settings import ReadingSettings
from .replies import (
    END,
    DialogueSettings,
    FixedReplySettings,
    LookUpSettings,
    StepSettings,
)
from .secrets import Hider, all_revealed, named_in, parted, revealed, without_password
from .serve_settings import OpenIdSettings, ServeSettings, WebhookSettings
from .services import ServiceSettings
from .settings import (
    ANSWER_SECTIONS,
    AnswerSettings,
    DeskSettings,
    EmbeddingSettings,
    GatherSettings,
    GradeSettings,
    PassageSettings,
    Settings,
)
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
)

__all__ = [
    "ANSWER_SECTIONS",
    "COMPLETE",
    "DECLINED",
    "END",
    "KINDS",
    "READY_PATTERNS",
    "RESTORING",
    "SETTINGS_FILE",
    "STATE_FOLDER",
    "AnswerSettings",
    "DeskSettings",
    "DialogueSettings",
    "EmbeddingSettings",
    "EntityKindSettings",
    "EntitySettings",
    "FeedSettings",
    "FindSettings",
    "FixedReplySettings",
    "FolderSettings",
    "GatherSettings",
    "GradeSettings",
    "HeldSettings",
    "Hider",
    "HouseRuleSettings",
    "LookUpSettings",
    "ModelProfile",
    "OpenIdSettings",
    "OtherSettings",
    "PassageSettings",
    "PriceSettings",
    "ReadingSettings",
    "RecordingSettings",
    "RelationSettings",
    "RepositorySettings",
    "Rule",
    "ServeSettings",
    "ServiceSettings",
    "Settings",
    "SeveralStepsSettings",
    "SiteSettings",
    "SourceSettings",
    "StepSettings",
    "StreamSettings",
    "TableSettings",
    "WebhookSettings",
    "WeightSettings",
    "all_revealed",
    "by_dotted_key",
    "load_profile",
    "load_settings",
    "model_profile",
    "named_in",
    "parse_duration",
    "parse_moment",
    "parse_override",
    "parted",
    "revealed",
    "with_overrides",
    "without_password",
]
