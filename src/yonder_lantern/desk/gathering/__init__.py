"""Sources → the next generation of the index: what runs the stages of `ingest`, and applies them.

In: a desk's folder, its settings and what to gather. Out: a `GatherReport`. The applier alone
writes to the index; the stages know neither it nor the desk.
"""

from .add_source import add_to_settings, take_back
from .gather_beside import gather_beside
from .image_describer import Describer
from .run_gather import GatherOrder, gather, rebuild_without, was_tried

__all__ = [
    "Describer",
    "GatherOrder",
    "add_to_settings",
    "gather",
    "gather_beside",
    "rebuild_without",
    "take_back",
    "was_tried",
]
