"""Results that are kept, so that a later one can be held against them."""

from __future__ import annotations

import secrets
import shutil
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from ...core import CallError, Purge, StateError
from ...platform.storage import private_folder, read_sealed, replace_bytes, sealed
from .grades import Grades

_LAST = "last"


@dataclass(frozen=True, slots=True)
class GradeResults:
    """The results of a desk, a file each, readable by their owner only: they hold answers.

    Attributes
    ----------
    folder : Path
    """

    folder: Path

    def keep(self, grades: Grades) -> Grades:
        """Keep a result; the same with its id and time."""
        now = datetime.now(UTC)
        id_ = f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(2)}"
        kept = replace(grades, id=id_, at=now.isoformat(timespec="seconds"))
        few = replace(
            kept,
            questions=tuple(one.kept() for one in kept.questions),
            repeats=tuple(tuple(replace(one, hits=()) for one in run) for run in kept.repeats),
        )
        private_folder(self.folder)
        replace_bytes(self.folder / f"{id_}.json", sealed(msgspec.to_builtins(few)))
        return kept

    name = "grades"

    def purge(self, purge: Purge) -> int:
        """Redact every result; a person's name is in none."""
        changed = 0
        for id_ in self.ids():
            path = self.folder / f"{id_}.json"
            kept = read_sealed(path)
            told = purge.redact(kept)
            if told != kept:
                replace_bytes(path, sealed(told))
                changed += 1
        return changed

    def expire(self, before: datetime) -> int:
        """Remove results that are older than a moment."""
        old = [id_ for id_ in self.ids() if id_ < f"{before.astimezone(UTC):%Y%m%dT%H%M%S}"]
        for id_ in old:
            (self.folder / f"{id_}.json").unlink(missing_ok=True)
        return len(old)

    def copy_to(self, folder: Path) -> None:
        """Copy the results: each is written once."""
        target = private_folder(folder / self.name)
        for id_ in self.ids():
            shutil.copy2(self.folder / f"{id_}.json", target)

    def ids(self) -> list[str]:
        """The ids of the results, the latest first."""
        found = self.folder.glob("*.json") if self.folder.is_dir() else ()
        return sorted((path.stem for path in found), reverse=True)

    def newest_first(self) -> Iterator[Grades]:
        """The results, the latest first."""
        return (self.get(id_) for id_ in self.ids())

    def get(self, id_: str) -> Grades:
        """A result by its id, by the beginning of it, or the ``last``.

        Raises
        ------
        CallError
            There is none, or several begin like that.
        StateError
            It is damaged.
        """
        ids = self.ids()
        named = ids[:1] if id_ == _LAST else [one for one in ids if one.startswith(id_)]
        if len(named) != 1:
            few = "several results begin" if named else "there is no result that begins"
            what = f"{few} with {id_!r}" if id_ != _LAST else "nothing has been graded yet"
            raise CallError(what, "result", "list them: yonder grade --list")
        path = self.folder / f"{named[0]}.json"
        try:
            return msgspec.convert(read_sealed(path), Grades)
        except (msgspec.ValidationError, ValueError) as error:
            raise StateError(
                f"the result is damaged: {error}", str(path), "delete that file"
            ) from None
