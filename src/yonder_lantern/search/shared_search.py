"""One question asked under several settings: both stages score the passages once."""

from __future__ import annotations

from ..core import ResolvedQuery
from ..index import IndexReader
from ..settings import FindSettings
from .search import Search, begin_search, under

_OF_THE_QUESTION = ("spelling", "glossary", "question_characters")


class SharedSearch:
    """Remembers the search of the last question, for whoever asks it next under other settings.

    It belongs to one thread.
    """

    def __init__(self) -> None:
        self._last: tuple[object, Search] | None = None

    def begin(self, snapshot: IndexReader, settings: FindSettings, query: ResolvedQuery) -> Search:
        """The same as `begin_search`; see there."""
        read = tuple(str(getattr(settings, name)) for name in _OF_THE_QUESTION)
        key = (id(snapshot), snapshot.generation, query, read)
        if query.stage != "both" or query.vector is not None:
            return begin_search(snapshot, settings, query)
        if self._last is not None and self._last[0] == key:
            return under(self._last[1], settings)
        search = begin_search(snapshot, settings, query)
        self._last = key, search
        return search
