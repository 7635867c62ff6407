"""The one object that wires the steps together.

In: a folder with ``yonder.toml``. Out: a `Desk` with the verbs gather, find,
ask, talk and grade. Interfaces stand on this package; it knows none of them.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use
from .desk import Desk

if TYPE_CHECKING:
    from .asking import PreparedPrompt
    from .backup import SERVED_LOCK, Restored, restore, restore_servers
    from .check import Finding, check_desk
    from .check_replies import draw_dialogues, expected_turns, missed_turns
    from .deploy import add_deployment
    from .housekeeping import keep_house
    from .look_inside import (
        PassageView,
        SizesView,
        SourceView,
        TopicView,
        check_sources,
        look_at_about,
        look_at_document,
        look_at_documents,
        look_at_duplicates,
        look_at_failures,
        look_at_map,
        look_at_metadata,
        look_at_outline,
        look_at_random,
        look_at_sizes,
        look_at_sources,
        look_at_topics,
    )
    from .purge import PurgeReport
    from .question_sets import DeskQuestions, ShownPassage, usual_judge
    from .start import STARTERS, Starter, start_folder
    from .watching import watch

__all__ = [
    "SERVED_LOCK",
    "STARTERS",
    "Desk",
    "DeskQuestions",
    "Finding",
    "PassageView",
    "PreparedPrompt",
    "PurgeReport",
    "Restored",
    "ShownPassage",
    "SizesView",
    "SourceView",
    "Starter",
    "TopicView",
    "add_deployment",
    "check_desk",
    "check_sources",
    "draw_dialogues",
    "expected_turns",
    "keep_house",
    "look_at_about",
    "look_at_document",
    "look_at_documents",
    "look_at_duplicates",
    "look_at_failures",
    "look_at_map",
    "look_at_metadata",
    "look_at_outline",
    "look_at_random",
    "look_at_sizes",
    "look_at_sources",
    "look_at_topics",
    "missed_turns",
    "restore",
    "restore_servers",
    "start_folder",
    "usual_judge",
    "watch",
]
__getattr__ = on_first_use(
    __name__,
    {
        "check": ["Finding", "check_desk"],
        "check_replies": ["draw_dialogues", "expected_turns", "missed_turns"],
        "asking": ["PreparedPrompt"],
        "look_inside": [
            "PassageView",
            "SizesView",
            "SourceView",
            "TopicView",
            "look_at_about",
            "look_at_document",
            "look_at_documents",
            "look_at_duplicates",
            "look_at_failures",
            "look_at_map",
            "look_at_metadata",
            "look_at_outline",
            "look_at_random",
            "look_at_sizes",
            "check_sources",
            "look_at_sources",
            "look_at_topics",
        ],
        "question_sets": ["DeskQuestions", "ShownPassage", "usual_judge"],
        "deploy": ["add_deployment"],
        "start": ["STARTERS", "Starter", "start_folder"],
        "backup": ["SERVED_LOCK", "Restored", "restore", "restore_servers"],
        "housekeeping": ["keep_house"],
        "purge": ["PurgeReport"],
        "watching": ["watch"],
    },
)
