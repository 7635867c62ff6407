"""What documents say of which things, and notes that people and programs leave beside them.

In: documents, and the words of notes with who may see them and when they hold. Out: statements
bound to the words that say so, cards of entities, the notes that fit a question: each for one
caller. This package knows neither how documents are found nor how an answer is written.
"""

from .entity_graph import groups_of, paths_between
from .entity_names import key_of
from .extract_statements import statements_of
from .follow_statements import Statements, further_spots
from .name_rules import NameRules
from .note_book import NoteBook, NoteStore
from .note_conversation import as_note_texts
from .note_statements import statements_of_notes
from .note_store import SqlNotes, postgres_notes, sqlite_notes
from .proposed_statements import proposed_in
from .rank_notes import rank_notes
from .relation_rules import RelationRules
from .statement_store import STATEMENTS_FOLDER, StatementStore
from .write_statements import write_statements

__all__ = [
    "STATEMENTS_FOLDER",
    "NameRules",
    "NoteBook",
    "NoteStore",
    "RelationRules",
    "SqlNotes",
    "StatementStore",
    "Statements",
    "as_note_texts",
    "further_spots",
    "groups_of",
    "key_of",
    "paths_between",
    "postgres_notes",
    "proposed_in",
    "rank_notes",
    "sqlite_notes",
    "statements_of",
    "statements_of_notes",
    "write_statements",
]
