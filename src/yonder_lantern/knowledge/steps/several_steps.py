"""A question that no single passage answers: taken apart, followed, answered with citations."""

from __future__ import annotations

import time
from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass, replace

from ...answer import (
    Composer,
    Draft,
    Judged,
    Pair,
    Unit,
    compare,
    comparison_of,
    pair_in,
    parts_of,
    request_of,
)
from ...core import Answer, AnswerStatus, SearchResult, Step, StepSpan
from ...settings import AnswerSettings, SeveralStepsSettings
from .follow_chain import Follower, Path
from .read_question import Chain, chains_in
from .taken import Taken
from .weigh_pair import Weighed, asked_of_each, weigh
from .weigh_path import (
    chosen_signs,
    needs_steps,
    plain_signs,
    score_of,
    support_of,
)
from .what_is_cited import cited_units

_NEEDED = 0.5  # how likely several steps must be needed, to be taken
_TRIED = 0.15  # the same where one search would give no answer
_GOOD = 6.0  # the score of a path that may be the last one looked for
_IN_VAIN = 3  # names tried without a better one, after which no more are
_PAIR_NEEDS = 0.7  # how likely a comparison of two named things does
_OF_VERDICT = 0.6  # the support of a comparison that comes to a verdict; of others less
_BORNE_OUT = 0.18  # support of the weaker side, from which on the verdict is as good as it gets
_PLAIN_WORDS = {"long": "how long", "deep": "how deep", "high": "how high", "heavy": "how heavy"}


@dataclass(frozen=True, slots=True)
class Planned:
    """What several steps came to.

    Attributes
    ----------
    answer : Answer or None
        None where they were not sure enough.
    steps : tuple of Step
        Those that led to it.
    results : tuple of SearchResult
        What each of them found.
    units : tuple of Unit
        What of it each took.
    needs : float
        How likely the question needs several steps.
    """

    answer: Answer | None
    steps: tuple[Step, ...]
    results: tuple[SearchResult, ...]
    units: tuple[Unit, ...]
    needs: float

    def goes_before(self, plain: Answer) -> bool:
        """Whether it is to be shown in place of what one search gave.

        An answer is; an excerpt is where the plain answer is the less likely one, for a question
        that needs several steps.
        """
        if self.answer is None:
            return False
        if self.answer.answered or not plain.answered:
            return True
        return plain.support * (1 - self.needs) < self.answer.support


def first_asked(question: str) -> list[str]:
    """What a question of several steps asks before anything is found; empty for a plain one.

    Examples
    --------
    >>> first_asked("What is forbidden by the signal which is shown now?")
    ['Which signal is shown now?']
    >>> first_asked("Which signal is shown now?")
    []
    """
    pair = pair_in(question)
    return asked_of_each(pair) if pair else [chain.first for chain in chains_in(question)]


class SeveralSteps:
    """Answers over several steps, in the words of the sources.

    Parameters
    ----------
    composer : Composer
    search : callable
        What finding gives for a question, and words to search for besides.
    settings : SeveralStepsSettings
    answers : AnswerSettings
        How sure an answer and an excerpt must be.
    is_looked_up : callable, optional
        Whether a look-up tells what a step asks, and no document need.
    """

    def __init__(
        self,
        composer: Composer,
        search: Callable[[str, str], SearchResult],
        settings: SeveralStepsSettings,
        answers: AnswerSettings,
        is_looked_up: Callable[[str], bool] = lambda _: False,
    ) -> None:
        self._composer = composer
        self._plain_search = search
        self._settings = settings
        self._is_looked_up = is_looked_up
        self._min_support = answers.min_support
        self._taken: list[Step] = []
        self._left = settings.max_searches
        self._ends = 0.0

    def answer(
        self, result: SearchResult, proposal: Chain | None = None
    ) -> Generator[Step, None, Planned | None]:
        """Take the steps that a question needs, if it does.

        Parameters
        ----------
        result : SearchResult
            What one search found for the whole question.
        proposal : Chain, optional
            The plan of a model, taken in place of our own reading.

        Yields
        ------
        Step
            Each search, as it is done; also those that lead nowhere.

        Returns
        -------
        Planned or None
            None for a question that one search serves, several in one, and a request.
        """
        question = result.query.question
        if not proposal and (request_of(question) or len(parts_of(question)) > 1):
            return None
        pair = None if proposal else pair_in(question)
        chains = [proposal] if proposal else [] if pair else chains_in(question)
        if not pair and not chains:
            return None
        judged = self._composer.judge(result)
        self._ends = time.perf_counter() + self._settings.seconds
        if pair:
            if in_table := self._in_tables(result):
                return in_table
            weighed = weigh(pair, self._composer, self._search)
            yield from self._taken
            return self._of_pair(result, judged, pair, weighed)
        signs = plain_signs(judged, chains[0].way)
        sure = proposal is not None or self._is_looked_up(chains[0].first)
        needs = 1.0 if sure else needs_steps(signs)
        is_served = signs.support >= self._min_support  # by one search, as far as one can tell
        if needs < (_NEEDED if is_served else _TRIED):
            return None
        follower = Follower(self._composer, self._search)
        paths: list[Path] = []
        enough = _Enough()
        for path in follower.follow(chains):
            while self._taken:
                yield self._taken.pop(0)
            if enough.is_reached(path):
                break
            paths.append(path)
        yield from self._taken
        return self._of_paths(result, chains[0], paths, needs, signs.support)

    def _in_tables(self, result: SearchResult) -> Planned | None:
        """The comparison of two rows; no steps are needed for it."""
        comparison = comparison_of(result.query.question)
        if comparison is None:
            return None
        draft = compare(comparison, result, lambda other: self._plain_search(other, ""))
        if draft is None:
            return None
        return Planned(self._composer.answered(result, [draft]), (), (), (), 0.0)

    def _search(self, question: str, more: str) -> SearchResult | None:
        """What a search finds; None once the searches are used up or the time is over."""
        began = time.perf_counter()
        if not self._left or began > self._ends:
            return None
        self._left -= 1
        found = self._plain_search(question, more)
        best = found.hits[0] if found.hits else None
        self._taken.append(
            Step(
                question,
                "find",
                tuple(found.words),
                StepSpan(best.document, best.start, best.end, best.text) if best else None,
                milliseconds=round((time.perf_counter() - began) * 1000, 3),
            )
        )
        return found

    def _of_paths(
        self,
        result: SearchResult,
        chain: Chain,
        paths: Sequence[Path],
        needs: float,
        plain: float,
    ) -> Planned | None:
        if not paths:
            return None
        scored = [(score_of(path), path) for path in paths]
        score, best = max(scored, key=lambda each: each[0])
        support = support_of(chosen_signs(best, score, scored, needs, plain))
        units = tuple(cited_units(best))
        steps = _steps(best.steps, units)
        results = tuple(step.result for step in best.steps)
        heads = [self._head(chain, step) for step in best.steps]
        drafts = [
            Draft((unit,), (step.judged.support,), support, head)
            for unit, step, head in zip(units, best.steps, heads, strict=True)
        ]
        return self._planned(result, drafts, support, Planned(None, steps, results, units, needs))

    def _of_pair(
        self,
        result: SearchResult,
        judged: Sequence[Judged],
        pair: Pair,
        weighed: Weighed | None,
    ) -> Planned | None:
        if weighed is None:
            return None
        units = [step.judged.unit for step in weighed.steps]
        borne_out = min(1.0, weighed.support / _BORNE_OUT)
        sure = _OF_VERDICT * borne_out if weighed.verdict else weighed.support
        both = min(step.judged.features.context for step in weighed.steps)
        support = sure * both
        if judged and judged[0].support > support and not weighed.verdict:
            return None
        head, formula = _verdict(pair, weighed)
        supports = tuple(step.judged.support for step in weighed.steps)
        draft = Draft(tuple(units), supports, support, head, formula)
        steps = tuple(
            one if one.kind == "look up" else replace(one, kind="compare")
            for one in _steps(weighed.steps, units)
        )
        results = tuple(step.result for step in weighed.steps)
        planned = Planned(None, steps, results, tuple(units), _PAIR_NEEDS)
        planned = self._planned(result, [draft], support, planned)
        if planned.answer and pair.decides and weighed.verdict in ("yes", "no"):
            planned = replace(planned, answer=replace(planned.answer, verdict=weighed.verdict))
        return planned

    def _planned(
        self,
        result: SearchResult,
        drafts: Sequence[Draft],
        support: float,
        planned: Planned,
    ) -> Planned:
        if support < self._settings.min_excerpt_support:
            return planned
        if support < self._settings.min_support:  # nothing is claimed, not even what a step found
            drafts = [replace(draft, head="", formula="") for draft in drafts]
        answer = replace(self._composer.answered(result, drafts), steps=planned.steps)
        if support < self._settings.min_support:
            text = f"{self._composer.words('closest steps')}\n\n{answer.text}"
            answer = replace(
                answer, status=AnswerStatus.EXCERPT, text=text, statements=(), verdict=""
            )
        return replace(planned, answer=replace(answer, support=support))

    def _head(self, chain: Chain, step: Taken) -> str:
        if not step.passed_on:
            return ""
        thing = _PLAIN_WORDS.get(chain.thing, chain.thing)
        return self._composer.words("step", f"{thing}: {step.passed_on}")


class _Enough:
    """Whether the evidence is enough: a good path, and nothing better from the next few names."""

    def __init__(self) -> None:
        self._best = 0.0
        self._since = 0
        self._question = ""

    def is_reached(self, path: Path) -> bool:
        """Whether to stop before a path of another question."""
        question = path.steps[-1].question
        if question != self._question:
            self._question = question
            self._since += 1
            if self._best >= _GOOD and self._since > _IN_VAIN:
                return True
        score = score_of(path)
        if score > self._best:
            self._best, self._since = score, 0
        return False


def _steps(taken: Sequence[Taken], units: Sequence[Unit]) -> tuple[Step, ...]:
    return tuple(
        Step(
            one.question,
            "look up" if one.is_live else "find" if one.passed_on else "answer",
            tuple(one.result.words),
            StepSpan(unit.document.id, unit.start, unit.end, unit.text),
            one.passed_on,
            round(one.result.times.get("whole", sum(one.result.times.values())), 3),
        )
        for one, unit in zip(taken, units, strict=True)
    )


def _verdict(pair: Pair, weighed: Weighed) -> tuple[str, str]:
    """What the comparison comes to in words, and the two sides it was worked out from."""
    said, other_said = weighed.said
    if not said or not other_said:
        return "", ""
    sides = f"{pair.one[0].upper()}{pair.one[1:]}: {said}; {pair.other}: {other_said}"
    if weighed.verdict in ("yes", "no"):
        head = f"{weighed.verdict.capitalize()}. {sides}"
    elif weighed.verdict == "both":
        head = f"{sides}; both are the same"
    elif weighed.verdict:
        head = f"{sides}; {pair.comparative}: {weighed.verdict}"
    else:
        head = sides
    return head, f"{said}, {other_said}"
