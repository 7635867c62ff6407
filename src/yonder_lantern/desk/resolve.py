"""A query as a caller gave it → a query ready to be searched for."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime
from pathlib import Path

from ..conversation import FullQuestion, Preference, bearing_on, full_question
from ..core import Caller, CallError, Control, Query, ResolvedQuery
from ..policy import MASK, HouseRules
from ..settings import DECLINED, Settings, parse_moment

NO_WORDS = "-"  # a question of which only the vector is given


def resolve(
    query: Query,
    caller: Caller,
    settings: Settings,
    describe: Callable[[str | Path | bytes], str],
) -> ResolvedQuery:
    """Make a query ready: put it behind what it leans on, apply the house rules, check it.

    Every question goes through here, whatever is then done with it.

    Parameters
    ----------
    query : Query
    caller : Caller
        Who the desk is open for; the query may narrow that, never widen it.
    settings : Settings
    describe : callable
        Says what an image shows.

    Raises
    ------
    CallError
        A value is not valid, or is not one that the settings know.
    """
    text = query.text
    if not text.strip() and (query.similar_to or query.vector is not None):
        text = NO_WORDS
    earlier = () if query.standalone else query.earlier
    full = full_question(text, earlier, query.choices)
    said = bearing_on(str(full), [Preference(one) for one in query.preferences])
    if query.image is not None:
        shown = describe(query.image)
        full = FullQuestion(full.question, f"{full.background} {shown}".strip())
    rules = HouseRules(settings.house_rule).at("asked")
    question, background = rules.applied(full.question), rules.applied(full.background)
    declined = question.declined
    if full.question.strip() and not question.tidy:
        declined = declined or DECLINED
    resolved = ResolvedQuery(
        question.tidy or (MASK if declined else full.question),
        narrowed(caller, query.audience, query.as_of, settings),
        background.tidy,
        query.where,
        query.stage,
        query.vector,
        query.similar_to,
        declined=declined,
        way=query.way,
        dialogue=query.dialogue,
        preferences=tuple(rules.applied(one.text).tidy for one in said),
        rules=question.by,
        limit=query.limit,
        documents=query.documents,
        values=_values(query.values, settings, rules),
        control=Control.within(query.timeout, query.cancel),
    )
    # A model is told at once; the built-in answerer tries without first.
    return resolved.with_preferences() if settings.answer.model else resolved


def narrowed(
    caller: Caller,
    audience: Iterable[str] | None,
    as_of: str | date | datetime | None,
    settings: Settings,
) -> Caller:
    """A caller who sees no more than another one: fewer labels, a moment.

    Raises
    ------
    CallError
        The audience is empty or holds a label that the caller does not have; the caller is
        bound to another moment; or the moment is no date.
    """
    labels, moment = caller.labels, caller.as_of
    if audience is not None:
        given = frozenset([audience] if isinstance(audience, str) else audience)
        if not given:
            raise CallError("the audience is empty", "audience", "name a label, e.g. public")
        if labels is not None and not given <= labels:
            raise CallError(
                f"this caller is not in the audience {min(given - labels)!r}",
                "audience",
                f"the caller's own: {', '.join(sorted(labels))}",
            )
        labels = given
    if as_of is not None:
        moment = parse_moment(as_of, settings.desk.zone, "as_of")
        if caller.as_of not in (None, moment):
            raise CallError(
                f"this caller sees what was valid at {caller.as_of}", "as_of", "leave it out"
            )
    return Caller(labels, moment)


def check_labels(labels: Iterable[str] | str, settings: Settings, indexed: Iterable[str]) -> None:
    """Refuse a label that neither the settings nor an index know.

    Raises
    ------
    CallError
    """
    known = {"public", *indexed}
    known.update(label for one in settings.source for label in one.audience)
    known.update(label for one in settings.fixed_reply for label in one.audience)
    known.update(label for one in settings.dialogue for label in one.audience)
    known.update(label for one in settings.look_up.values() for label in one.audience)
    for label in [labels] if isinstance(labels, str) else labels:
        if label not in known:
            near = difflib.get_close_matches(label, known, 1)
            remedy = f"did you mean {near[0]!r}?" if near else f"known: {', '.join(sorted(known))}"
            raise CallError(f"nothing has the audience {label!r}", "audience", remedy)


def _values(given: Mapping[str, str], settings: Settings, rules: HouseRules) -> Mapping[str, str]:
    """What the desk's own prompts may use: the query's values, else those of the settings."""
    known = settings.answer.values
    for name in given:
        if name not in known:
            names = ", ".join(sorted(known)) or "none yet"
            raise CallError(
                f"no prompt value is called {name!r}",
                "values",
                f"the settings know: {names}; add it under [answer.values]",
            )
    return {name: rules.applied(str(given.get(name, usual))).text for name, usual in known.items()}
