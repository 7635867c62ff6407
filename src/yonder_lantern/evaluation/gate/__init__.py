"""A result and what it must reach → verdicts, for people and for build servers."""

from .build_server import markdown_summary, write_junit
from .requirement import Requirement, Verdict, check_requirement

__all__ = [
    "Requirement",
    "Verdict",
    "check_requirement",
    "markdown_summary",
    "write_junit",
]
