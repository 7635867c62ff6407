"""What tells nothing of the matter: contents, a synopsis, a whole script; licences, changelogs."""

from __future__ import annotations

import re

from ..core import BlockKind
from .units import Unit

_HEADINGS = re.compile(
    r"^\W*(?:\d[\d.]*\s+)?(?:(?:table of )?contents|on this page|navigation|index|site ?map"
    r"|synopsis"
    r"|see also|quick links|breadcrumbs?|inhalt(?:sverzeichnis)?|siehe auch|sommaire"
    r"|table des matières|voir aussi)\W*$",
    re.IGNORECASE,
)
_ABOUT_FILES = re.compile(  # by their names
    r"^(?:licen[cs]es?|copying|copyright|change(?:s|log)|news|history|release[-_ ]?notes"
    r"|what'?s?[-_ ]?new)\b",
    re.IGNORECASE,
)
_ASKS_OF_THEM = re.compile(
    r"licen[cs]|copyright|copying|\bchang|\bnew\b|\bnews\b|version|release|histor|\bwhen\b|since"
    r"|lizenz|geändert|änderung|\bneu|seit|wann|licence|modifi|nouveau|quand|depuis",
    re.IGNORECASE,
)
_LONG_CODE = 800  # characters: a whole script


class Navigation:
    """Tells which units a question does not want.

    Parameters
    ----------
    question : str
        What it names itself, it may have: "What does the synopsis say?"
    asks_code : bool
        Whether it asks for code.
    """

    def __init__(self, question: str, *, asks_code: bool) -> None:
        self._question = question.casefold()
        self._asks_of_files = bool(_ASKS_OF_THEM.search(question))
        self._asks_code = asks_code

    def holds(self, unit: Unit) -> bool:
        """Whether a unit only leads elsewhere, or is of what nobody asked for.

        A whole script, a licence, a list of changes.
        """
        if unit.kind is BlockKind.CODE and unit.end - unit.start > _LONG_CODE:
            return not self._asks_code
        name = unit.document.key.rpartition("/")[2]
        if _ABOUT_FILES.match(name) and not self._asks_of_files:
            return True
        under = unit.document.blocks[unit.block].under
        if under < 0:
            return False
        heading = unit.document.blocks[under]
        text = unit.document.text[heading.start : heading.end].strip(" \t#:.")
        return bool(_HEADINGS.match(text)) and text.casefold() not in self._question
