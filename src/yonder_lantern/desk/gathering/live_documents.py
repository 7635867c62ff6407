"""The documents that an index holds while it is written: what of them stays, and what goes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from dataclasses import replace

from ...core import (
    CancelledError,
    Document,
    ExcludedError,
    GatherReport,
    IndexStateError,
    Problem,
    SourceCounts,
)
from ...index import IndexRecords, IndexWriter
from ...ingest.preparation import Prepared, Preparer
from ...policy import HouseRules
from ...settings import PassageSettings, SourceSettings
from .item_state import told_of


class LiveDocuments:
    """The documents of the index that is being written.

    Parameters
    ----------
    writer : IndexWriter
    rules : HouseRules
    passages : PassageSettings
    report : GatherReport
        Told what goes wrong.

    Attributes
    ----------
    live : dict of str to (int, str, str)
        The row, version and source of every document, by id.
    """

    def __init__(
        self,
        writer: IndexWriter,
        rules: HouseRules,
        passages: PassageSettings,
        report: GatherReport,
    ) -> None:
        self._writer = writer
        self._rules = rules
        self._report = report
        self._preparer = Preparer(passages)
        self.live = writer.records.live()

    def of_source(self, name: str) -> set[str]:
        """The ids of a source's documents."""
        return {id_ for id_, (_, _, source) in self.live.items() if source == name}

    def count(self, name: str) -> int:
        """How many documents of a source there are."""
        return len(self.of_source(name))

    def keep_all(self, source_settings: SourceSettings, counts: SourceCounts) -> int:
        """Keep the documents of a source that cannot be read now; how many there are."""
        return len(self.keep(source_settings, self.of_source(source_settings.name), counts))

    def apply_rules(self, name: str) -> None:
        """Let the house rules have their way with the documents of a source that is not read."""
        if not self._rules:
            return
        rows = {self.live[id_][0]: id_ for id_ in self.of_source(name)}
        for row, document in self._writer.records.documents(rows).items():
            if not self._still_fits(row, document):
                self.drop(rows[row])

    def drop_all_but(self, named: Collection[str]) -> dict[str, int]:
        """Remove the documents of all other sources; how many of each."""
        dropped: Counter[str] = Counter()
        for id_, (row, _, name) in list(self.live.items()):
            if name not in named:
                self._writer.remove(row)
                del self.live[id_]
                dropped[name] += 1
        return dict(dropped)

    def carry_over(
        self, name: str, records: IndexRecords, *, without: Collection[str] = ()
    ) -> None:
        """Take a source's documents over from another index, all but some."""
        rows = {
            row
            for id_, (row, _, source) in records.live().items()
            if source == name and id_ not in without
        }
        placed = {}
        for row, earlier in records.each(sorted(rows)):
            try:
                document = self._rules.document(earlier)
                with self._writer.whole_or_not():
                    placed[row] = self._writer.add(self.prepared(document))
            except IndexStateError:
                raise
            except ExcludedError:
                continue
            except Exception as error:
                self._report.problems.append(Problem(earlier.id, *told_of(error)))
                continue
            self.live[document.id] = (placed[row], document.version, name)
        for item in records.items(name).values():
            if item.row in placed:
                self._writer.records.remember(replace(item, row=placed[item.row]))

    def keep(
        self, source_settings: SourceSettings, ids: set[str], counts: SourceCounts
    ) -> set[str]:
        """Keep the earlier versions of some documents; those that were kept.

        One that carries a label its source no longer has was for people who may not
        see it now, and is taken out.
        """
        allowed = frozenset(source_settings.audience)
        rows = {self.live[id_][0]: id_ for id_ in ids}
        kept = set()
        for row, document in self._writer.records.documents(rows).items():
            if document.audience <= allowed and self._still_fits(row, document):
                kept.add(rows[row])
                continue
            self.drop(rows[row])
            counts.removed += 1
        return kept

    def _still_fits(self, row: int, document: Document) -> bool:
        """Whether the rules of now let a document be that cannot be read anew; masked, if so."""
        try:
            fits = self._rules.document(document)
            if fits is document:
                return True
            self._writer.learn_anew()
            with self._writer.whole_or_not():
                self._writer.remove(row)
                fresh = self._writer.add(self.prepared(fits))
        except (CancelledError, IndexStateError):
            raise
        except ExcludedError:
            return False
        except Exception as error:  # what the rules would leave cannot be told: it is taken out
            reason, remedy = told_of(error)
            self._report.problems.append(Problem(document.id, f"{reason}; taken out", remedy))
            return False
        else:
            self.live[fits.id] = (fresh, fits.version, fits.source)
            return True

    def drop(self, id_: str) -> None:
        """Take out a document that fewer people may see now, or nobody."""
        self._writer.learn_anew()
        self._writer.remove(self.live.pop(id_)[0])

    def prepared(self, document: Document) -> Prepared:
        """A document cut, ready to be added."""
        return self._preparer.prepare(document)
