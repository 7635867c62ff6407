"""The desk: one assistant's folder, opened."""

from __future__ import annotations

import copy
import logging
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack

from msgspec.structs import replace as replace_settings

from ..conversation import Conversation, Conversations, Turn, labels_of
from ..core import (
    Answer,
    Caller,
    CallError,
    Cancel,
    Document,
    Event,
    Explanation,
    Extracted,
    Finished,
    GatherReport,
    Hit,
    Money,
    NeverCancel,
    NoRecorder,
    NothingGatheredError,
    Progress,
    Query,
    QueryParts,
    Recorder,
    ResolvedQuery,
    SearchResult,
    SourceError,
    YonderError,
    no_progress,
    query_of,
)
from ..index import KnownSource, Snapshot
from ..ingest.sources import HeldItem
from ..observe import AnswerBudget, CostLedger, Traces
from ..policy import HouseRules, embedding_context
from ..search import begin_search, explain, find, result_of
from ..settings import SETTINGS_FILE, Settings, load_settings, parse_moment
from .open_index import OpenIndex
from .pipeline import Pipeline
from .resolve import narrowed, resolve

if TYPE_CHECKING:
    from ..evaluation import AdaptedLexicon, FittedThreshold, Grades, Tuned
    from .vector_table import VectorTable

STATE_FOLDER = ".yonder"
_LOG = logging.getLogger("yonder_lantern.desk")


@dataclass(frozen=True, slots=True)
class PreparedPrompt:
    """What a model would be sent.

    Attributes
    ----------
    instructions, question : str
        The two parts.
    tokens : int
        About how many the model reads.
    passages, left_out : int
        How many are in it, and for how many there was no room.
    most : Money
        What the answer costs at most.
    """

    instructions: str
    question: str
    tokens: int
    passages: int
    left_out: int
    most: Money


class Desk:
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

    def __init__(self, folder: Path, settings: Settings, *, record: bool = True) -> None:
        self.folder = folder
        self.settings = settings
        self.state = state = folder / STATE_FOLDER
        self.caller = Caller()
        self.costs = CostLedger(state / "costs")
        self._recorder: Recorder = self.traces if record else NoRecorder()
        self._index = OpenIndex(
            state / "index", lambda: embedding_context(folder, state, self.settings)
        )

    @classmethod
    def open(
        cls,
        path: str | Path = ".",
        *,
        settings: Mapping[str, Any] | None = None,
        record: bool = True,
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

        Raises
        ------
        SettingsError
            There is no ``yonder.toml``, or something in it is wrong.
        """
        folder = Path(path)
        return cls(folder, load_settings(folder, settings), record=record)

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

    @property
    def traces(self) -> Traces:
        """The traces that the caller may see."""
        return Traces(self.state / "traces", self.caller)

    @property
    def conversations(self) -> Conversations:
        """The conversations that the caller may go on with."""
        return Conversations(self.state / "conversations", self.caller)

    def _only_the_owner(self, deed: str) -> None:
        if not self.caller.is_owner:
            raise CallError(
                f"only the desk's owner may {deed}", "audience", "use the desk that was opened"
            )

    # -- gather

    def gather(
        self,
        *,
        sources: Iterable[str] = (),
        items: Mapping[str, str | bytes] | Iterable[HeldItem] | None = None,
        source: str = "held",
        audience: Sequence[str] = ("public",),
        complete: bool = True,
        dry_run: bool = False,
        rebuild: bool = False,
        allow_empty: bool = False,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> GatherReport:
        """Bring the index up to date with the sources, or with documents held by a program.

        What has not changed is not read again. Readers see the earlier generation
        until the new one is complete. A source that cannot be read keeps its
        documents, and the others go on. What was taken in before an interruption
        stays, and the next gather goes on from there; one that is killed changes
        nothing.

        Parameters
        ----------
        sources : iterable of str
            Only these, and these even if ``refresh_after`` says they are fresh.
        items : mapping of key to contents, or iterable of HeldItem, optional
            Documents that the program holds. Only they are gathered then; they stay
            in the index through later gathers.
        source : str
            With ``items``: the name of the source they are the documents of.
        audience : sequence of str
            With ``items``: who may see them.
        complete : bool
            With ``items``: whether these are all; those of earlier are removed then.
        dry_run : bool
            Read and compare, but write nothing.
        rebuild : bool
            Read everything anew into a new index, which then replaces the old.
        allow_empty : bool
            Let a source that has become empty lose its documents.
        progress : Progress
            Told how far each source has come.
        cancel : Cancel, optional
            Looked at between items.

        Raises
        ------
        SourceError
            No source could be read at all, and nothing had been gathered before.
        CallError
            There is no source of that name.
        IndexStateError
            Another gather is running, the index is damaged, or the disk is full.
        CancelledError
            ``cancel`` was set.
        """
        self._only_the_owner("gather")
        from .gather import GatherOrder, gather

        if isinstance(items, Mapping):
            items = [HeldItem(key, data) for key, data in items.items()]
        order = GatherOrder(
            dry_run=dry_run,
            rebuild=rebuild,
            allow_empty=allow_empty or (items is not None and complete),
            only=tuple(sources),
            held={} if items is None else {source: tuple(items)},
            audience=tuple(audience),
            complete=complete,
            progress=progress,
            cancel=cancel or NeverCancel(),
        )
        self.close()  # what nobody is reading any more can then be swept
        return gather(self.folder, self.state, self.settings, order)

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
        from .add_source import add_to_settings, take_back

        before = (self.folder / SETTINGS_FILE).read_bytes()
        added = add_to_settings(self.folder, self.settings, address, name, audience)
        earlier = self.settings
        try:
            fresh = load_settings(self.folder)
            self.settings = replace_settings(earlier, source=fresh.source)
            report = self.gather(sources=[added], progress=progress, cancel=cancel)
            if report.sources[added].failed and not report.added:
                problem = report.problems[0]
                raise SourceError(problem.reason, address, problem.remedy)
        except BaseException:
            self.settings = earlier
            take_back(self.folder, before)
            raise
        return report

    def _refresh_stale(self) -> None:
        """Gather the sources that are older than they may be, where the settings ask for it."""
        if not self.settings.gather.refresh_before_answering:
            return
        from .gather import was_tried

        known: dict[str, KnownSource] = {}
        with suppress(NothingGatheredError), self._index.reading() as snapshot:
            known = snapshot.store.sources()
        rules = HouseRules(self.settings.house_rule).at("gathered").settings
        stale = [
            source.name
            for source in self.settings.source
            if source.refresh_after and not was_tried(source, known.get(source.name), rules)
        ]
        if not stale:
            return
        try:
            self.gather(sources=stale)
        except YonderError as error:  # an older answer is better than none; it says its age
            _LOG.warning("what is stale could not be refreshed: %s", error.what)

    # -- find and ask

    def find(self, query: Query | str, **parts: Unpack[QueryParts]) -> list[Hit]:
        """The passages that fit a question best.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError, LimitError
            The question is empty or too long, or a value makes no sense.
        IndexStateError
            Nothing has been gathered, or the index is damaged.
        """
        return list(self.search(query, **parts).hits)

    def search(self, query: Query | str, **parts: Unpack[QueryParts]) -> SearchResult:
        """Like `find`, with everything that was known on the way."""
        asked = self.resolve(query_of(query, parts))
        with self._index.reading() as snapshot:
            return find(snapshot, self.settings.find, asked)

    def find_and_answer(
        self, query: Query | str, depth: int, **parts: Unpack[QueryParts]
    ) -> tuple[list[Hit], Answer]:
        """The passages found, to a depth of its own, and the answer: of one search.

        Parameters
        ----------
        query : Query or str
        depth : int
            How many passages to give; the answer rests on as many as the query says.
        **parts
            Of a `Query`, in place of its own.
        """
        whole = query_of(query, parts)
        asked = self.resolve(whole)
        with self._pipeline() as pipeline:
            search = begin_search(pipeline.snapshot, self.settings.find, asked)
            usual = result_of(search)
            hits = list(result_of(search, depth).hits)
            answer = _last(pipeline.answer(asked, usual))
        return hits, replace(answer, question=whole.text)

    def explain(self, query: Query | str, passage: str, **parts: Unpack[QueryParts]) -> Explanation:
        """Why a passage stands where it does for a question, or is not found.

        Parameters
        ----------
        query : Query or str
        passage : str
            A document's id, with ``#OFFSET`` for another passage than its first.
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The caller sees no such document, or a value makes no sense.
        """
        asked = self.resolve(query_of(query, parts))
        settings = self.settings.find
        with self._index.reading() as snapshot:
            search = begin_search(snapshot, settings, asked)
            return explain(search, passage, asked.limit_or(settings.limit))

    def tune(
        self, questions: str | Path | None = None, *, progress: Progress = no_progress
    ) -> Tuned:
        """Fit how passages are ranked on the question set, and measure what that gains.

        Nothing is changed: `Tuned.patch` gives the settings to write.

        Parameters
        ----------
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        progress : Progress

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or has too few answerable questions to fit.
        """
        self._only_the_owner("tune")
        from ..evaluation import tune_desk

        return tune_desk(self, questions, progress)

    def tune_threshold(
        self,
        max_error_rate: float = 0.2,
        questions: str | Path | None = None,
        *,
        progress: Progress = no_progress,
    ) -> FittedThreshold:
        """Fit the support below which a question is declined, and measure what comes of it.

        Nothing is changed: `FittedThreshold.patch` gives the settings to write.

        Parameters
        ----------
        max_error_rate : float, default 0.2
            Of the answers given, the share that may be wrong, between 0 and 1.
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        progress : Progress

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or has too few questions to fit.
        """
        self._only_the_owner("tune")
        from ..evaluation import tune_threshold

        def graded(threshold: float, split: str) -> Grades:
            answer = replace_settings(self.settings.answer, min_support=threshold)
            settings = replace_settings(self.settings, answer=answer)
            other = type(self)(self.folder, settings, record=False)
            return other.grade(questions, split=split, progress=progress)

        return tune_threshold(self, graded, questions, max_error_rate)

    def adapt_lexicon(
        self,
        folder: str | Path = "lexicon",
        *,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> AdaptedLexicon:
        """Fit the lexicon to this desk's passages, as a pretrained encoder sees them.

        The encoder is that of ``embedding.model``. Only documents that carry the label
        ``embedding.learn_from`` are used. What it embeds is kept: interrupted work goes
        on. Nothing changes until the settings name the folder and ``gather`` is run.

        Parameters
        ----------
        folder : path, default "lexicon"
            Where to write it, read against the desk's.
        progress : Progress
        cancel : Cancel, optional

        Raises
        ------
        SettingsError
            No encoder is named, or it cannot be opened.
        CallError
            The index is empty, or the folder holds something else.
        CancelledError
            Interrupted.
        """
        self._only_the_owner("adapt the lexicon")
        from ..evaluation import adapt_lexicon

        return adapt_lexicon(self, folder, progress, cancel or NeverCancel())

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

    def ask(self, query: Query | str, **parts: Unpack[QueryParts]) -> Answer:
        """One grounded, cited answer, or a declined one.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Returns
        -------
        Answer

        Raises
        ------
        CallError, LimitError
            As for `find`; the answer could cost more than is allowed, or not one passage
            fits into the model's context.
        ServiceError
            A model is to answer, and cannot be reached, or replies in another shape.
        """
        return _last(self.stream(query, **parts))

    def stream(self, query: Query | str, **parts: Unpack[QueryParts]) -> Iterator[Event]:
        """The same answer as it is written.

        Parameters
        ----------
        query, **parts
            As for `ask`.

        Yields
        ------
        Event
            `Piece` by `Piece` the text; after each sentence `Cited` for what bears it
            out, or `Withdrawn`; last `Finished`, with the whole answer.
        """
        return self._answered(query_of(query, parts))

    def _answered(self, query: Query, resolved: ResolvedQuery | None = None) -> Iterator[Event]:
        """The answer as it comes; the query is worked out at the first event, if it was not."""
        asked = resolved or self.resolve(query)
        with self._pipeline() as pipeline:
            for event in pipeline.answer(asked):
                if isinstance(event, Finished):
                    yield Finished(replace(event.answer, question=query.text))
                else:
                    yield event

    def extract(self, query: Query | str, schema: Any, **parts: Unpack[QueryParts]) -> Extracted:
        """An object of a schema, filled from the documents; each field cites what it rests on.

        Without a model, fields come from rows, details, lists and sentences, each by
        a search of its own; with one, from its reply, of which nothing stays that the
        passages do not say. What the documents do not say is None.

        Parameters
        ----------
        query : Query or str
            What it is about: "the visitors' pontoon", "What is known of valve V-3?".
        schema : mapping or class
            A JSON Schema of an object, or a class with ``model_json_schema``.
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The schema is none, or one that cannot be filled.
        ServiceError
            A model's replies do not fit it.
        MissingExtraError
            The package that reads schemas is not installed.
        """
        whole = query_of(query, parts)
        asked = self.resolve(whole)
        with self._pipeline() as pipeline:
            return replace(pipeline.extract(asked, schema), question=whole.text)

    def prompt(self, query: Query | str, **parts: Unpack[QueryParts]) -> PreparedPrompt:
        """Exactly what a model would be sent; nothing is sent.

        Parameters
        ----------
        query : Query or str
        **parts
            Of a `Query`, in place of its own.

        Raises
        ------
        CallError
            The desk has no model.
        """
        from ..platform.services import estimated_tokens, most_it_costs

        asked = self.resolve(query_of(query, parts))
        with self._pipeline() as pipeline:
            prepared, profile = pipeline.prepared(asked)
        sent = prepared.prompt
        return PreparedPrompt(
            sent.instructions,
            sent.question,
            tokens=estimated_tokens(profile, sent.instructions + sent.question),
            passages=len(prepared.context.passages),
            left_out=prepared.context.left_out,
            most=most_it_costs(profile, sent),
        )

    def _record(self, trace: dict[str, Any]) -> str:
        try:
            return self._recorder.record(trace)
        except OSError as error:  # a full disk or a folder to read only: answer all the same
            _LOG.warning("the trace of a question could not be kept: %s", error)
            return ""

    def talk(
        self, query: Query | str, conversation: Conversation, **parts: Unpack[QueryParts]
    ) -> tuple[Answer, Turn]:
        """Answer the next question of a conversation and keep the turn.

        Parameters
        ----------
        query : Query or str
            May lean on the turn before it.
        conversation : Conversation
            From ``desk.conversations.start()`` or ``.resume()``; the turn is added, and
            from then on it is for those who see at least what this caller does. Its turns
            come after the query's own earlier questions.
        **parts
            Of a `Query`, in place of its own.

        Returns
        -------
        answer : Answer
        turn : Turn
            ``turn.became`` is the question that was searched for.

        Raises
        ------
        CallError
            The conversation was held by someone who sees more.
        """
        whole = query_of(query, parts)
        caller = narrowed(self.caller, whole.audience, whole.as_of, self.settings)
        if conversation.turns and not caller.sees_all_of(conversation.audience):
            raise CallError(
                "someone who sees more had this conversation",
                f"conversation {conversation.id}",
                "start a new one",
            )
        conversation.audience = labels_of(caller)
        earlier = (*whole.earlier, *conversation.questions)
        whole = replace(whole, earlier=earlier, choices=conversation.choices or whole.choices)
        asked = self.resolve(whole)
        answer = _last(self._answered(whole, asked))
        kept = HouseRules(self.settings.house_rule).at("asked").applied(whole.text).tidy
        at = datetime.now(UTC).isoformat(timespec="seconds")
        turn = Turn(
            kept, asked.rewritten, answer.text, answer.declined, answer.trace, at, answer.choices
        )
        try:
            self.conversations.keep(conversation, turn)
        except OSError as error:  # a full disk or a folder to read only: answer all the same
            _LOG.warning("the turn could not be kept: %s", error)
        return answer, turn

    # -- grade

    def grade(
        self,
        questions: str | Path | None = None,
        *,
        split: str = "",
        progress: Progress = no_progress,
    ) -> Grades:
        """Measure retrieval and answers on a question set.

        Questions about documents that could not be read here, as a program for them is
        missing, say, are left out and counted.

        Parameters
        ----------
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        split : {"", "fit", "test"}
            Ask only the questions of one split; all of them without.
        progress : Progress

        Returns
        -------
        Grades
            With pandas frames by question and in summary.

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or a quote no longer stands.
        """
        self._only_the_owner("grade")
        from ..evaluation import grade, load_questions

        settings = self.settings.grade
        path = Path(questions) if questions is not None else self.folder / settings.questions
        as_of = (
            parse_moment(settings.as_of, self.settings.desk.zone, "grade.as_of")
            if settings.as_of
            else datetime.now(UTC)
        )
        steady = replace_settings(self.settings.gather, refresh_before_answering=False)
        quiet = Desk(self.folder, replace_settings(self.settings, gather=steady), record=False)
        asked = load_questions(path)
        if split:
            asked = asked.of_split(split)
        try:
            asked = asked.readable(quiet.is_unread)
            return grade(
                quiet,
                asked,
                as_of=as_of,
                zone=self.settings.desk.zone,
                depth=settings.depth,
                seed=settings.seed,
                resamples=settings.resamples,
                progress=progress,
            )
        finally:
            quiet.close()

    # -- what is inside

    def document(self, id_: str) -> Document | None:
        """A document of the index by its id, with its canonical text.

        Parameters
        ----------
        id_ : str

        Returns
        -------
        Document or None
            None too where the caller may not see it. The owner sees it whether it is valid
            now or not.
        """
        with self._index.reading() as snapshot:
            found = snapshot.document(id_)
        caller = self.caller
        if found is None or (caller.is_owner and caller.as_of is None):
            return found
        return found if found.visible_to(caller, caller.at()) else None

    def is_unread(self, id_: str) -> bool:
        """Whether a document is missing because it, or its source, could not be read."""
        with self._index.reading() as snapshot:
            if snapshot.document_row(id_) is not None:
                return False
            source = snapshot.store.sources().get(id_.partition("/")[0])
            if source is not None and source.problem:
                return True
            return any(f"{one.source}/{one.key}" == id_ for one in snapshot.store.problems())

    def snapshot(self) -> Snapshot:
        """The newest generation of the index, open until the desk is closed or gathers."""
        return self._index.newest()

    def close(self) -> None:
        """Give back what the desk holds open, once the questions under way are answered."""
        self._index.close()

    def __repr__(self) -> str:
        return f"Desk({str(self.folder)!r})"

    def __enter__(self) -> Desk:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def resolve(self, query: Query) -> ResolvedQuery:
        """A query ready to be searched for, stale sources refreshed before."""
        self._refresh_stale()
        return resolve(query, self.caller, self.settings, self.describe_image)

    @contextmanager
    def _pipeline(self) -> Iterator[Pipeline]:
        settings = self.settings.answer
        with self._index.reading() as snapshot:
            yield Pipeline(
                self.folder,
                self.state,
                self.settings,
                snapshot,
                AnswerBudget(self.costs, settings.max_price, settings.max_price_a_day),
                self._record,
            )

    def describe_image(self, image: str | Path | bytes) -> str:
        """What an image shows, in words, by the service that ``gather.image_service`` names.

        Parameters
        ----------
        image : path or bytes

        Raises
        ------
        SettingsError
            No service is named.
        CallError
            The image cannot be read.
        ServiceError
            The service cannot be reached, refuses, or gives something else.
        """
        from .image_describer import Describer

        name = "image"
        if not isinstance(image, bytes):
            name = Path(image).name
            try:
                image = Path(image).read_bytes()
            except OSError as error:
                raise CallError(
                    f"the image cannot be read: {error.strerror}", str(image), "name a file"
                ) from None
        return Describer(self.settings, self.state).describe(image, name)


def _last(events: Iterator[Event]) -> Answer:
    """The whole answer that a stream ends with."""
    *_, last = events
    assert isinstance(last, Finished)
    return last.answer
