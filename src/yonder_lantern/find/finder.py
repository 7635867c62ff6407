"""Finding: both stages, their weighted sum, and the account of it."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Protocol

import numpy as np

from ..index import Snapshot
from ..passages import lead_of
from ..records import (
    Account,
    AlsoIn,
    Asked,
    CallError,
    Document,
    Findings,
    Hit,
    StageAccount,
    TermShare,
    place_of,
)
from ..settings import FindSettings
from ..storage import Array
from .folding import Folding
from .lexical import LexicalScores
from .question import understand
from .vector import VectorScores


class _Stage(Protocol):
    scores: Array

    def shares(self, passage: int) -> tuple[TermShare, ...]: ...


class _Weighed:
    """A stage with its weight and the best score it gave."""

    def __init__(self, name: str, weight: float, stage: _Stage) -> None:
        self._name = name
        self._weight = weight
        self._stage = stage
        self._best = float(stage.scores.max(initial=0.0))

    def shares(self) -> Array:
        """What the stage adds to the score of every passage."""
        shares = np.maximum(self._stage.scores, 0.0)
        if self._best > 0:  # in the order in which an account multiplies, to the same bit
            shares /= self._best
            shares *= self._weight
        return shares

    def account(self, passage: int) -> StageAccount:
        """What the stage thought of one passage."""
        score = float(self._stage.scores[passage])
        if score <= 0 or self._best <= 0:
            return StageAccount(self._name, None, max(score, 0.0), self._best, self._weight, 0.0)
        return StageAccount(
            stage=self._name,
            rank=int(np.count_nonzero(self._stage.scores > score)) + 1,
            score=score,
            best=self._best,
            weight=self._weight,
            share=self._weight * (score / self._best),
            terms=self._stage.shares(passage),
        )


class Finder:
    """Finds passages in one open generation.

    A passage's score is the sum, over the stages, of its score there divided by
    the best score the stage gave any passage, times the stage's weight.

    Parameters
    ----------
    snapshot : Snapshot
    settings : FindSettings

    References
    ----------
    Fox, Shaw (1994), Combination of multiple searches, for sums of normalised
    scores.
    """

    def __init__(self, snapshot: Snapshot, settings: FindSettings) -> None:
        self._snapshot = snapshot
        self._settings = settings

    def find(self, asked: Asked, *, limit: int) -> Findings:
        """The passages that fit a question best.

        Parameters
        ----------
        asked : Asked
        limit : int
            How many hits at most, from 1.

        Raises
        ------
        CallError
            The question is empty or the limit is below 1.
        LimitError
            The question is too long.
        """
        if limit < 1:
            raise CallError(f"a limit of {limit} finds nothing", "limit", "give 1 or more")
        times: dict[str, float] = {}
        clock = _Clock(times)
        manifest = self._snapshot.manifest
        understood = understand(
            asked.question,
            manifest.languages,
            most=self._settings.question_characters,
            background=asked.background,
        )
        visible = self._snapshot.visible(asked, datetime.now(UTC))
        clock.lap("understand")
        lexical = LexicalScores(self._snapshot, visible, understood.terms)
        clock.lap("lexical")
        vector = VectorScores(self._snapshot, visible, understood.terms)
        clock.lap("vector")
        weight = self._settings.lexical_weight
        stages = [_Weighed("lexical", weight, lexical), _Weighed("vector", 1 - weight, vector)]
        fused = stages[0].shares()
        for stage in stages[1:]:
            fused += stage.shares()
        chosen = _top(fused, limit)
        clock.lap("fuse")
        hits, documents = self._hits(chosen, stages, limit)
        more = limit
        while len(hits) < limit and len(chosen) >= more:  # some say the same: look further
            more *= 2
            chosen = _top(fused, more)
            hits, documents = self._hits(chosen, stages, limit)
        hits = [self._with_linked(hit, documents[hit.document], asked) for hit in hits]
        clock.lap("read")
        return Findings(
            asked=asked,
            hits=tuple(hits),
            documents=documents,
            terms={term: lexical.weights[term] * count for term, count in understood.terms.items()},
            known=lexical.known,
            words=understood.words,
            language=understood.language,
            generation=self._snapshot.generation,
            passages=lexical.passages,
            times=times,
        )

    def _hits(
        self, chosen: Array, stages: Sequence[_Weighed], limit: int
    ) -> tuple[list[Hit], dict[str, Document]]:
        located = [self._locate(passage) for passage in chosen.tolist()]
        documents = self._snapshot.store.documents(row for row, _ in located)
        found: list[tuple[float, str, int, Account, int, Array]] = []
        for passage, (row, span) in zip(chosen.tolist(), located, strict=True):
            account = Account(tuple(stage.account(passage) for stage in stages))
            found.append((account.score, documents[row].id, int(span[1]), account, row, span))
        found.sort(key=lambda entry: (-entry[0], entry[1], entry[2]))
        folding = Folding()
        hits: list[Hit] = []
        for _, _, _, account, row, span in found:
            document = documents[row]
            _, start, end, _, _ = span.tolist()
            same = folding.same_as(document.text[start:end])
            if same is not None and same < len(hits):
                also = (*hits[same].also, AlsoIn(document.id, start, end))
                hits[same] = replace(hits[same], also=also)
            elif len(hits) < limit:
                hits.append(_hit(len(hits) + 1, document, span, account))
        return hits, {document.id: document for document in documents.values()}

    def _with_linked(self, hit: Hit, document: Document, asked: Asked) -> Hit:
        """A hit that names the documents which belong with its own, if the caller may see them."""
        named = document.details.get("linked") or []
        wanted = [str(one) for one in ([named] if isinstance(named, str) else named)]
        beside = self._snapshot.store.beside(document, wanted, self._snapshot.generation)
        moment = asked.as_of or datetime.now(UTC)
        seen = tuple(other.id for other in beside if other.visible_to(asked.audience, moment))
        return replace(hit, linked=seen) if seen else hit

    def _locate(self, passage: int) -> tuple[int, Array]:
        """A passage's document row and its span."""
        for opened in self._snapshot.segments:
            size = len(opened.segment.lengths)
            if passage < size:
                span = opened.segment.passages[passage]
                return int(opened.segment.documents[span[0], 0]), span
            passage -= size
        raise IndexError(passage)


def _top(scores: Array, limit: int) -> Array:
    """The places of the best positive scores, with everything that ties with the last."""
    positive = np.flatnonzero(scores > 0)
    if len(positive) <= limit:
        return positive
    own = scores[positive]
    threshold = np.partition(own, len(own) - limit)[len(own) - limit]
    return np.asarray(positive[own >= threshold])


def _hit(rank: int, document: Document, span: Array, account: Account) -> Hit:
    _, start, end, _, block = span.tolist()
    return Hit(
        rank=rank,
        document=document.id,
        version=document.version,
        title=document.title,
        language=document.language,
        start=start,
        end=end,
        text=document.text[start:end],
        lead=lead_of(document, block, start),
        place=place_of(document, start, end),
        score=account.score,
        account=account,
    )


class _Clock:
    """Notes how long each step took, in milliseconds."""

    def __init__(self, times: dict[str, float]) -> None:
        self._times = times
        self._last = time.perf_counter()

    def lap(self, step: str) -> None:
        now = time.perf_counter()
        self._times[step] = round((now - self._last) * 1000, 3)
        self._last = now
