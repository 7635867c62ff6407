"""The desk: one assistant's folder, opened."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace as replace_settings

from ..core import CallError, Cancel, GatherReport, Progress, SourceError, no_progress
from ..settings import FolderSettings, ModelProfile, load_settings
from .keeping import KeepingDesk
from .resolve import narrowed

if TYPE_CHECKING:
    from .vector_table import VectorTable


class Desk(KeepingDesk):
    """One assistant's folder, opened: its settings, index, traces and questions.

    A desk is safe to use from several threads. It reads the newest generation of
    its index, whoever gathered it.

    Parameters
    ----------
    folder : Path
        The folder that holds ``yonder.toml``.
    settings : Settings
    record : bool
        Whether to keep a trace of every question asked.
    functions : mapping of str to callable, optional
        As for `open`.

    Examples
    --------
    >>> import tempfile, pathlib
    >>> folder = pathlib.Path(tempfile.mkdtemp())
    >>> _ = (folder / "yonder.toml").write_text("")
    >>> (folder / "documents").mkdir()
    >>> _ = (folder / "documents" / "quay.md").write_text("The quay closes at 22:00 each night.")
    >>> desk = Desk.open(folder)
    >>> desk.gather().added
    1
    >>> desk.find("When does the quay close?")[0].document
    'documents/quay.md'
    """

    @classmethod
    def open(
        cls,
        path: str | Path = ".",
        *,
        settings: Mapping[str, Any] | None = None,
        record: bool = True,
        functions: Mapping[str, Callable[..., Any]] | None = None,
    ) -> Desk:
        """Open a desk's folder.

        Parameters
        ----------
        path : str or Path
            The folder that holds ``yonder.toml``.
        settings : mapping, optional
            Overrides by dotted key, ``{"find.limit": 5}``.
        record : bool
            Whether to keep a trace of every question asked.
        functions : mapping of str to callable, optional
            Functions that fixed replies may look values up with, by name. Their parameters are
            filled by name from what is known, and converted to the types they are annotated with.

        Raises
        ------
        SettingsError
            There is no ``yonder.toml``, or something in it is wrong.
        """
        folder = Path(path)
        loaded = load_settings(folder, settings)
        return cls(folder, loaded, record=record, functions=functions)

    def as_caller(
        self,
        audience: Iterable[str] | None = None,
        as_of: str | date | datetime | None = None,
    ) -> Desk:
        """This desk as one caller sees it: the same methods, and nothing else to be seen.

        What it finds, answers, shows, counts and suggests, its traces and its conversations
        are those that the caller may see. It cannot gather, tune or grade.

        Parameters
        ----------
        audience : iterable of str, optional
            The caller's labels; those of this desk's caller by default.
        as_of : str, date or datetime, optional
            Only what was valid then.

        Raises
        ------
        CallError
            The audience is empty, or holds a label that this desk's caller does not have.
        """
        view = copy.copy(self)
        view.caller = narrowed(self.caller, audience, as_of, self.settings)
        return view

    def add_source(
        self,
        address: str,
        *,
        name: str = "",
        audience: Sequence[str] = ("public",),
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> GatherReport:
        """Write one more source into the settings file and gather just that.

        Parameters
        ----------
        address : str
            A file, a folder, a recording, a repository, a feed or a page.
        name : str, optional
            What the source is called; made of the address by default.
        audience : sequence of str
            Who may see its documents.
        progress, cancel
            As for `gather`.

        Raises
        ------
        CallError
            The address is none of these, or the name is taken.
        YonderError
            The source cannot be read; the settings are then as they were.
        """
        self._only_the_owner("add a source")
        from .gathering import add_to_settings, take_back

        added = add_to_settings(self.folder, self.settings, address, name, audience)
        earlier = self.settings
        try:
            fresh = load_settings(self.folder)
            self.settings = replace_settings(earlier, source=fresh.source)
            report = self.gather(sources=[added.name], progress=progress, cancel=cancel)
            if report.sources[added.name].failed and not report.added:
                problem = report.problems[0]
                raise SourceError(problem.reason, address, problem.remedy)
        except BaseException:
            self.settings = earlier
            take_back(self.folder, added)
            raise
        return report

    def original(self, id_: str) -> bytes | None:
        """The file that a document was read from, as it is now.

        Parameters
        ----------
        id_ : str

        Returns
        -------
        bytes or None
            None where the caller may not see the document, its source is no folder, or the file is
            gone.
        """
        found = self.document(id_)
        name, _, key = id_.partition("/")
        source = next((one for one in self.settings.source if one.name == name), None)
        if found is None or not isinstance(source, FolderSettings):
            return None
        root = (self.folder / source.folder).resolve()
        path = (root / key).resolve()
        if not path.is_relative_to(root) or not path.is_file():
            return None
        return path.read_bytes()

    def page_picture(self, id_: str, page: int, start: int = 0, end: int = 0) -> bytes:
        """A page of a PDF document as a PNG picture, with a span marked.

        Parameters
        ----------
        id_ : str
        page : int
            The first is 1.
        start, end : int
            The span, in the document's text.

        Raises
        ------
        CallError
            There is no such document or page, or its original is not at hand.
        FormatError
            It is no PDF file.
        """
        from ..ingest.formats.pdf import page_picture

        found, data = self.document(id_), self.original(id_)
        if found is None or data is None:
            raise CallError("there is no original of this document", id_, "see its text instead")
        return page_picture(data, page, found.text[start:end])

    def use_model(
        self, address: str, name: str = "", headers: Mapping[str, str] | None = None
    ) -> str:
        """Answer with a model server from now on; nothing is written.

        Parameters
        ----------
        address, name : str
        headers : mapping of str to str, optional
            Secrets as ``${NAME}``.

        Returns
        -------
        str
            What it said when it was asked to say "ready".

        Raises
        ------
        ServiceError
            It cannot be reached, or refuses; the desk answers as before.
        """
        self._only_the_owner("choose the model")
        from ..platform.services import Prompt, ask_model

        profile = ModelProfile(
            address=address, name=name, headers=dict(headers or {}), shape="roles"
        )
        reply = ask_model(replace_settings(profile, max_attempts=1), Prompt("", 'Say "ready".'))
        answer = replace_settings(self.settings.answer, model=profile)
        self.settings = replace_settings(self.settings, answer=answer)
        return " ".join(reply.text.split())[:80] or "it said nothing"

    def vectors(
        self,
        *,
        where: str = "",
    ) -> VectorTable:
        """The vectors of the passages that the caller may see, with their documents' metadata.

        Parameters
        ----------
        where : str
            Which passages, as for `find`; all by default.

        Raises
        ------
        IndexStateError
            Nothing has been gathered, or there are no vectors.
        """
        from .vector_table import table_of_vectors

        with self._index.reading() as snapshot:
            return table_of_vectors(snapshot, self.caller, where)

    def __repr__(self) -> str:
        return f"Desk({str(self.folder)!r})"

    def __enter__(self) -> Desk:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
