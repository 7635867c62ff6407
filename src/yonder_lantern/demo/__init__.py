"""The demo desk of the invented Saltgarth Harbour Trust: its documents, and what serves them.

In: nothing. Out: a folder that is a complete desk, and its web site and
transcription service on this machine while they are wanted. Everything in it is
made up.
"""

from .box_page import make_box_page
from .copying import DEMO_FOLDER, copy_demo
from .serving import demo_services

__all__ = ["DEMO_FOLDER", "copy_demo", "demo_services", "make_box_page"]
