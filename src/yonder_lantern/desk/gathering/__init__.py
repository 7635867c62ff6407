"""Sources → the next generation of the index: what runs the stages of `ingest`, and applies them.

In: a desk's folder, its settings and what to gather. Out: a `GatherReport`. The applier alone
writes to the index; the stages know neither it nor the desk.
"""

from .add_source import add_to_settings, take_back
from .freshness import was_tried
from .gather_beside import gather_beside
from .image_describer import Describer
from .index_in_place import REBUILD_LOCK, alone_with, wait_for_gather
from .run_gather import GatherOrder, gather, rebuild_without

__all__ = [
    "REBUILD_LOCK",
    "Describer",
    "GatherOrder",
    "add_to_settings",
    "alone_with",
    "gather",
    "gather_beside",
    "rebuild_without",
    "take_back",
    "wait_for_gather",
    "was_tried",
]
