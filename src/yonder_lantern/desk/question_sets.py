"""A desk's question set: checked, drafted, judged and carried elsewhere."""

from __future__ import annotations

import getpass
import random
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from msgspec.structs import replace

from ..core import CallError, Document, Progress, Query, QuestionSetError, location_of, no_progress
from ..embedding.lexicon import LexiconEmbedding, WordNeighbours
from ..evaluation import (
    Question,
    QuestionSet,
    RunGrades,
    Variant,
    grade_run,
    load_questions,
)
from ..evaluation.questions import (
    Checked,
    Judgement,
    JudgementBook,
    PooledPassage,
    check_quotes,
    draft_questions,
    drafted_by_model,
    named_documents,
    pooled,
    questions_asked,
    read_judgements,
    read_run,
    read_topics,
    save_questions,
    with_judged,
    with_judgements,
)
from ..observe import FeedbackBook
from ..settings import with_overrides
from .desk import Desk
from .look_inside import look_at_documents

JUDGEMENTS = "judgements.jsonl"
DRAFTS = "drafts.jsonl"
_PROMPT_OF_A_PASSAGE = 1500  # characters that a model is shown


@dataclass(frozen=True, slots=True)
class ShownPassage:
    """A passage as a judge sees it.

    Attributes
    ----------
    passage : PooledPassage
    question : str
    title, location, text : str
    number, total : int
        Which one it is of those left.
    """

    passage: PooledPassage
    question: str
    title: str
    location: str
    text: str
    number: int
    total: int


class DeskQuestions:
    """The question set of a desk, and what is made towards it.

    Parameters
    ----------
    desk : Desk
        Its owner's.
    path : path, optional
        The question set; ``grade.questions`` of the settings by default.
    """

    def __init__(self, desk: Desk, path: str | Path | None = None) -> None:
        if not desk.caller.is_owner:
            raise CallError(
                "only the desk's owner may change the question set",
                "audience",
                "use the desk that was opened",
            )
        self._desk = desk
        self.path = Path(path) if path is not None else desk.folder / desk.settings.grade.questions
        self.drafts_path = self.path.with_name(DRAFTS)
        self.judgements = JudgementBook(self.path.with_name(JUDGEMENTS))

    def load(self) -> QuestionSet:
        """The questions, drafts among them.

        Raises
        ------
        QuestionSetError
            There is no set, or it is broken.
        """
        return load_questions(self.path)

    def check(self, *, mend: bool = False) -> Checked:
        """Hold every quote against the documents as they are.

        Parameters
        ----------
        mend : bool
            Write what was found again, unless its numbers differ, and the versions of today.
        """

        document = cache(self._desk.document)  # a quote that is lost is looked for in all of them

        def text_of(id_: str) -> str | None:
            found = document(id_)
            return found.text if found else None

        def version_of(id_: str) -> str:
            found = document(id_)
            return found.version if found else ""

        found = check_quotes(self.load(), text_of, version_of, self._ids)
        if mend:
            doubtful = {
                one.lost.question for one in found.found if one.figures_differ or one.now is None
            }
            mended = {id_: one for id_, one in found.mended.items() if id_ not in doubtful}
            save_questions(self.path, changed=mended)
        return found

    def draft(
        self, count: int, *, seed: int = 1, by_model: bool = False, progress: Progress = no_progress
    ) -> list[Question]:
        """Write candidate questions into the file of drafts, beside the question set.

        Parameters
        ----------
        count : int
        seed : int
            Of the draw.
        by_model : bool
            Let the model of the settings write them.
        progress : Progress

        Raises
        ------
        CallError
            A model is wanted and none is configured.
        """
        taken = self._taken()
        if by_model:
            made = self._by_model(count, seed, taken, progress)
        else:
            made = draft_questions(
                self._documents(progress), count, seed=seed, taken=taken, like=self._like()
            )
        known = {one.question.casefold() for one in (*self._known(), *self.drafts())}
        new = [one for one in made if one.question.casefold() not in known]
        save_questions(self.drafts_path, added=new)
        return new

    def drafts(self) -> tuple[Question, ...]:
        """The drafts that nobody has accepted or dropped yet."""
        if not self.drafts_path.exists() or not self.drafts_path.read_bytes().strip():
            return ()
        return load_questions(self.drafts_path).questions

    def accept(self, draft: Question, question: str = "") -> Question:
        """Take a draft into the question set.

        Parameters
        ----------
        draft : Question
        question : str
            Other words for it, if wanted.
        """
        accepted = replace(draft, draft=False, question=question or draft.question)
        save_questions(self.path, added=[accepted])
        self.drop(draft.id)
        return accepted

    def drop(self, id_: str) -> None:
        """Remove a draft.

        Raises
        ------
        CallError
            There is none of that id.
        """
        if id_ not in {one.id for one in self.drafts()}:
            raise CallError(
                f"there is no draft {id_!r}", "drafts", "yonder questions review --list"
            )
        save_questions(self.drafts_path, removed=[id_])

    def take_asked(self, *, only: str = "", count: int = 50) -> list[Question]:
        """Write what people really asked into the file of drafts.

        Parameters
        ----------
        only : {"", "good", "bad"}
            Only answers that were rated so.
        count : int
        """
        desk = self._desk
        ratings = {
            one.trace: (str(one.rating), one.remark)
            for one in FeedbackBook(desk.state, desk.traces).all()
        }
        made = questions_asked(
            desk.traces.newest_first(),
            ratings,
            known=(*self._known(), *self.drafts()),
            taken=self._taken(),
            only=only,
            count=count,
        )
        save_questions(self.drafts_path, added=made)
        return made

    def pool(
        self,
        variants: Sequence[Variant],
        *,
        depth: int = 5,
        ids: Sequence[str] = (),
        progress: Progress = no_progress,
    ) -> list[PooledPassage]:
        """The passages that several settings find for the questions, unlabelled and shuffled.

        Parameters
        ----------
        variants : sequence of Variant
            Besides the settings as they are; only such as need no other index.
        depth : int
            How many of each.
        ids : sequence of str
            Only these questions.
        progress : Progress
        """
        desk = self._desk
        views = [desk]
        for one in variants:
            settings = with_overrides(desk.settings, one.settings)
            if (settings.passages, settings.embedding) != (
                desk.settings.passages,
                desk.settings.embedding,
            ):
                raise CallError(
                    f"{one.name} needs an index of its own",
                    "judge",
                    "pool settings of find alone, e.g. find.lexical_weight=0,0.5,1",
                )
            views.append(desk.under(settings))
        found: dict[str, list[list[PooledPassage]]] = {}
        chosen = [one for one in self.load().questions if not ids or one.id in ids]
        for done, question in enumerate(chosen):
            progress("finding", done, len(chosen))
            query = Query(
                question.question,
                audience=question.audience,
                as_of=question.as_of or desk.settings.grade.as_of or None,
                earlier=question.turns,
                limit=depth,
            )
            found[question.id] = [
                [
                    PooledPassage(question.id, hit.document, hit.start, hit.end)
                    for hit in view.find(query)
                ]
                for view in views
            ]
        return pooled(found, depth, desk.settings.grade.seed)

    def left(self, pool: Sequence[PooledPassage], judge: str) -> Iterator[ShownPassage]:
        """What of a pool a person has not judged, as it is shown."""
        questions = {one.id: one for one in self.load().questions}
        left = self.judgements.left(pool, judge)
        for number, one in enumerate(left, 1):
            document = self._desk.document(one.document)
            if document is None or one.question not in questions:
                continue
            yield ShownPassage(
                one,
                questions[one.question].question,
                document.title,
                location_of(document, one.start, one.end).within(one.document),
                document.text[one.start : one.end],
                number,
                len(left),
            )

    def apply_judgements(self, judgements: Sequence[Judgement]) -> list[str]:
        """Write what was judged into the question set; the ids of the questions that change."""
        changed = {}
        for question in self.load().questions:
            fresh = with_judged(question, judgements, self._text_of)
            if fresh != question:
                changed[question.id] = fresh
        save_questions(self.path, changed=changed)
        return list(changed)

    def bring_in(
        self,
        topics: Path,
        judgements: Path | None = None,
        columns: Mapping[str, str] | None = None,
    ) -> tuple[list[Question], list[str]]:
        """Add the questions of files that others wrote to the set.

        Parameters
        ----------
        topics, judgements : Path
            See `read_topics` and `read_judgements`.
        columns : mapping, optional
            What the parts of a question are called in the file of topics.

        Returns
        -------
        questions : list of Question
            Those that were added.
        unknown : list of str
            Documents that are judged and not in the index.
        """
        found = read_topics(topics, columns)
        documents = named_documents(list(self._ids()))
        unknown: list[str] = []
        if judgements is not None:
            found, unknown = with_judgements(found, read_judgements(judgements), documents)
        fresh = []
        for one in found:
            groups = []
            for group in one.expected:
                here = [replace(part, document=documents.get(part.document, "")) for part in group]
                unknown += [
                    part.document
                    for part, there in zip(group, here, strict=True)
                    if not there.document
                ]
                kept = tuple(part for part in here if part.document)
                groups += [kept] if kept else []
            if groups or not one.expected:
                fresh.append(replace(one, expected=tuple(groups)))
        taken = self._taken()
        twice = [one.id for one in fresh if one.id in taken]
        if twice:
            raise QuestionSetError(
                f"the question set has the id {twice[0]!r} already"
                + (f", and {len(twice) - 1} more" if twice[1:] else ""),
                str(self.path),
                "bring them into another file: --questions FILE",
            )
        if not fresh:
            raise QuestionSetError(
                "not one of them is about a document of this desk",
                str(topics),
                "gather the documents first; their names must be ids, keys, or keys without suffix",
            )
        save_questions(self.path, added=fresh)
        return fresh, list(dict.fromkeys(unknown))

    def grade_run(self, path: Path) -> RunGrades:
        """Judge a ranked run that another program made, by whole documents.

        Parameters
        ----------
        path : Path
            Six columns a line: topic Q0 document rank score run.

        Raises
        ------
        QuestionSetError
            The run cannot be read, or is of none of the questions.
        """
        desk = self._desk
        asked = self.load().without_drafts()
        grade = desk.settings.grade
        return grade_run(
            asked.questions,
            asked.locate(self._text_of),
            read_run(path),
            named_documents(self._ids()),
            seed=grade.seed,
            resamples=grade.resamples,
        )

    def _by_model(
        self, count: int, seed: int, taken: set[str], progress: Progress
    ) -> list[Question]:
        desk = self._desk
        if not desk.settings.answer.model:
            raise CallError(
                "no model is configured",
                "answer.model",
                "draft without --model, or see docs/howto/connect-a-model-server.md",
            )
        documents = [one for one in self._documents(no_progress) if "public" in one.audience]
        random.Random(seed).shuffle(documents)

        def passages() -> Iterator[tuple[str, str, str]]:
            for number in range(3):
                for done, document in enumerate(documents):
                    progress("drafting", done, len(documents))
                    spans = desk.passages_of(document.id)
                    if number < len(spans):
                        start, end = spans[(number * 7 + len(spans) // 2) % len(spans)]
                        text = document.text[start:end][:_PROMPT_OF_A_PASSAGE]
                        yield document.id, document.version, text

        made, _ = drafted_by_model(passages(), desk.ask_for_a_question, count, taken=taken)
        return made

    def _documents(self, progress: Progress) -> Iterator[Document]:
        ids = list(self._ids())
        for done, id_ in enumerate(ids):
            progress("reading", done, len(ids))
            found = self._desk.document(id_)
            if found is not None:
                yield found

    def _text_of(self, id_: str) -> str | None:
        found = self._desk.document(id_)
        return found.text if found else None

    def _ids(self) -> list[str]:
        return [one.id for one in look_at_documents(self._desk)]

    def _like(self) -> Callable[[str], Sequence[str]]:
        embedding = self._desk.snapshot().embedding
        return WordNeighbours(embedding) if isinstance(embedding, LexiconEmbedding) else _nothing

    def _known(self) -> tuple[Question, ...]:
        if not self.path.exists() or not self.path.read_bytes().strip():
            return ()
        return self.load().questions

    def _taken(self) -> set[str]:
        return {one.id for one in (*self._known(), *self.drafts())}


def _nothing(_: str) -> Sequence[str]:
    return ()


def usual_judge() -> str:
    """What the person at this machine is called."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "judge"
