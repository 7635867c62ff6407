"""What the other packages may ask of an index, and tell it: nothing else of it is theirs."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from typing import Any, Protocol

from ..core import Caller, Document
from ..embedding import Embedding, EmbeddingContext, EmbeddingMethod
from ..ingest.preparation import Prepared
from ..platform.storage import Array, TermTable
from ..settings import EmbeddingSettings
from .columns import MetadataColumns
from .manifest import EmbeddingEntry
from .passage_columns import PassageColumns, Postings
from .store import KnownItem, KnownSource, Seen


class PassageReading(Protocol):
    """What a reading model says of the passages of one generation."""

    @property
    def model(self) -> str:
        """The model's hash."""

    def counts(self) -> tuple[int, int]:
        """How many passages were looked at, and how many there are."""

    def question(self, text: str) -> Array:
        """The unit vector of a question to this desk."""

    def vector(self, text: str) -> Array:
        """The unit vector of a text."""

    def kept(self, passages: Array) -> Array:
        """The vectors of passages that are kept; zeros where there is none."""

    def read(self, passages: Array) -> Array:
        """The vectors of passages, read now where they were not; zeros for other languages."""

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector; unordered."""


class IndexReader(Protocol):
    """One generation of an index, open: documents and passages by number, 0 to their count."""

    @property
    def generation(self) -> int:
        """Its number."""

    @property
    def languages(self) -> Sequence[str]:
        """The languages of its documents."""

    @property
    def embedding_entry(self) -> EmbeddingEntry | None:
        """Which embedding its vectors are of; None without vectors."""

    @property
    def embedding(self) -> Embedding | None:
        """That embedding, loaded."""

    @property
    def columns(self) -> MetadataColumns:
        """The metadata of the documents, to filter on."""

    @property
    def reading(self) -> PassageReading | None:
        """What the reading model says of the passages; None where it is not used."""

    term_cache: dict[tuple[str, int, int, int], tuple[str, ...]]
    """The terms of passages that were read, by language and span."""

    @property
    def document_count(self) -> int:
        """How many documents are numbered."""

    @property
    def passage_count(self) -> int:
        """How many passages are numbered."""

    @property
    def lengths(self) -> Array:
        """How many terms each passage has."""

    def visible_documents(self, caller: Caller, moment: int) -> Array:
        """Which documents a caller may see at a moment, as a mask."""

    def passages_of(self, documents: Array) -> Array:
        """Which passages are of some documents; both are masks."""

    def passages(self, numbers: Array) -> PassageColumns:
        """What is kept of some passages."""

    def document_of(self, passages: Array) -> Array:
        """The documents of some passages."""

    def bounds_of(self, documents: Array) -> tuple[Array, Array]:
        """The first passage of each of some documents, and the one after its last."""

    def lengths_of(self, documents: Array) -> Array:
        """How many terms each of some documents has."""

    def passage_at(self, document: int, offset: int) -> int | None:
        """The first passage of a document that ends after an offset, or its last."""

    def valid_from(self, documents: Array) -> Array:
        """When each of some documents became valid, in microseconds since 1970."""

    def rows_of(self, documents: Array) -> Array:
        """The rows that documents are kept in."""

    def numbers_of_rows(self, rows: Array) -> Array:
        """The documents that are kept in some rows; -1 where there is none."""

    def postings(self, term: str) -> Postings | None:
        """Where a term stands; None if nowhere."""

    def dead_terms(self) -> set[str]:
        """The terms that only documents have which are gone."""

    def term_tables(self) -> Sequence[TermTable]:
        """The terms, in one or more tables."""

    def vectors(self, passages: Array) -> Array | None:
        """The vectors of passages; None where there are none."""

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector; unordered."""

    def cosines(self, vector: Array, passages: Array) -> Array:
        """How near passages are to a vector."""

    def count_above(self, vector: Array, cosine: float, allowed: Array | None) -> int:
        """How many of the allowed passages are nearer to a vector than a cosine."""

    def document_row(self, id_: str) -> int | None:
        """The row of a document; None if there is no such document."""

    def document(self, id_: str) -> Document | None:
        """A document by id."""

    def documents(self, rows: Iterable[int]) -> dict[int, Document]:
        """The documents of some rows."""

    def each(self, rows: Iterable[int]) -> Iterator[tuple[int, Document]]:
        """The documents of many rows, a few at a time."""

    def ids(self, rows: Iterable[int]) -> dict[int, str]:
        """The ids of the documents of some rows."""

    def texts(self, spans: Iterable[tuple[int, int, int]]) -> list[str]:
        """The words of spans, each a row, a start and an end."""

    def beside(self, documents: Sequence[Document]) -> dict[str, list[tuple[int, str]]]:
        """The rows and ids of the documents that belong with each of some."""

    def other_forms(
        self, shorts: Sequence[str], longs: Sequence[str]
    ) -> list[tuple[str, str, Seen]]:
        """The long forms of short ones and the short forms of long ones, and who may see each."""

    def labels(self) -> set[str]:
        """Every label that documents have, or had."""

    def sources(self) -> Mapping[str, KnownSource]:
        """What is known of every source."""

    def problems(self) -> list[KnownItem]:
        """The items that could not be read last time."""


class IndexRecords(Protocol):
    """What an index keeps of sources, their items, and documents by row."""

    def sources(self) -> dict[str, KnownSource]:
        """What is known of every source, by name."""

    def remember_source(self, source: KnownSource) -> None:
        """Note what is known of a source now."""

    def forget_source(self, name: str) -> None:
        """Drop what is known of a source."""

    def items(self, source: str, keys: Iterable[str] | None = None) -> dict[str, KnownItem]:
        """What is known of a source's items, or of those with some keys, by key."""

    def remember(self, item: KnownItem) -> None:
        """Note what is known of an item now."""

    def forget(self, source: str, key: str) -> None:
        """Drop what is known of an item."""

    def live(self) -> dict[str, tuple[int, str, str]]:
        """Documents not removed: id → row, version, source."""

    def documents(self, rows: Iterable[int]) -> dict[int, Document]:
        """The documents of some rows, by row."""

    def each(self, rows: Iterable[int]) -> Iterator[tuple[int, Document]]:
        """The documents of many rows, a few at a time."""

    def languages(self) -> dict[str, int]:
        """How many documents there are in each language."""

    def audience(self, row: int) -> frozenset[str]:
        """The labels of a row's document."""

    def metadata(self, row: int) -> str:
        """A row's metadata, audience and validity as one string, to compare."""

    def holds_text_of(self, row: int, document: Document) -> bool:
        """Whether a row has the text, outline, title and language of a document."""

    def superseding(self) -> list[tuple[int, str, str, dict[str, Any], frozenset[str], int]]:
        """Documents that supersede others: row, id, source, metadata, audience, valid from."""

    def validity(self, besides: Iterable[int]) -> dict[int, tuple[int, int]]:
        """Where validity ends now, and where the document itself says it does, by row."""


class IndexWriter(Protocol):
    """The next generation of an index, being written; readers see it when it is published."""

    added_tokens: int
    """Of the passages added so far."""

    @property
    def records(self) -> IndexRecords:
        """What is known of sources, items and documents, as it will be."""

    @property
    def generation(self) -> int:
        """The number of the published generation; 0 before the first."""

    @property
    def languages(self) -> Sequence[str]:
        """The languages of its documents."""

    @property
    def embedding_entry(self) -> EmbeddingEntry | None:
        """Which embedding its vectors are of; None without vectors."""

    @property
    def changed(self) -> bool:
        """Whether anything was added, removed or moved."""

    def was_made_with(self, fingerprint: Mapping[str, Any]) -> bool:
        """Whether what is published was cut and analysed as this fingerprint says."""

    def fits(self, method: EmbeddingMethod, settings: EmbeddingSettings) -> bool:
        """Whether something is published and its embedding is as the settings want it."""

    def totals(self) -> tuple[int, int]:
        """How many documents and passages the published generation holds."""

    def changed_passages(self) -> int:
        """How many passages of documents were added and taken away."""

    def whole_or_not(self) -> AbstractContextManager[None]:
        """What fails within leaves nothing of itself behind."""

    def add(self, prepared: Prepared) -> int:
        """Add a document and its passages; the row it is kept in."""

    def remove(self, row: int) -> None:
        """Take a document out."""

    def keep_text(self, row: int, document: Document) -> int:
        """Keep a document's passages under another id, audience or validity."""

    def end_validity(self, row: int, until: int) -> None:
        """Give a document another end of validity, in microseconds since 1970."""

    def learn_anew(self) -> None:
        """Learn the embedding again: it knows something that fewer people may see now."""

    def cut_again(
        self,
        prepare: Callable[[Document], Prepared],
        failed: Callable[[Document, Exception], None],
    ) -> None:
        """Cut all documents again. No source is read."""

    def keep_items_only(self) -> None:
        """Make lasting what is known of the items, without a new generation."""

    def publish(
        self,
        *,
        fingerprint: dict[str, Any],
        method: EmbeddingMethod,
        settings: EmbeddingSettings,
        context: EmbeddingContext,
    ) -> str:
        """Write everything and put the new generation in place of the old."""
