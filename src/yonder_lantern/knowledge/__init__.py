"""What is known beside the documents: notes that people and programs leave.

In: a note's words, who leaves it, who may see it and when it holds. Out: the notes that fit a
question, for one caller. This package knows neither how documents are found nor how an answer is
written; notes are never mixed up with either.
"""

from .note_book import NoteBook, NoteStore
from .note_store import SqlNotes, postgres_notes, sqlite_notes
from .rank_notes import rank_notes

__all__ = [
    "NoteBook",
    "NoteStore",
    "SqlNotes",
    "postgres_notes",
    "rank_notes",
    "sqlite_notes",
]
