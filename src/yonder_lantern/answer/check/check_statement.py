"""Whether a statement is borne out by the words it cites."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, cast

from ...platform.storage import Array
from ...text import OPPOSITES, Analyser, words
from ..answer_type import codes_in
from .amounts import Value, values_in
from .connections import ExplainedTerms, any_near, best_share, connected
from .contrasts import Force, force_of, overstated
from .cut_out import left_out, stands_whole
from .other_language import HALF_SURE, unlike_in_other_language
from .said import CLAUSES, Clause, Said
from .told_apart import of_another

FaultKind = Literal[
    "number", "unit", "date", "time", "code", "name", "negation", "opposite", "force", "extent",
    "terms", "connection", "nothing", "language",
]  # fmt: skip

_LEAST_COVERED = 0.6  # of a statement's weight, fitted by benchmarks/fit_support.py
_LEAST_OF_PART = 0.5  # the same of each of its clauses
_LEAST_CONNECTED = 0.4  # of its neighbouring words, fitted on half of a real model's answers
_ABOVE = 0.25  # what a word counts that stands only in a title or heading above the cited ones
_TITLE = 8  # characters a heading has at least to be told from a word
_LEAST_OF_ONE = 0.65  # of a clause, in one of several units that bear a statement out together
_BESIDE = 2  # words before and after "is" that have to do with each other
_IS = re.compile(r"\b(?:is|are|was|were|ist|sind|war|waren|est|sont|était)\b(?! to\b)", re.I)
_PART = 2  # words that a clause has at least to be looked at by itself
_TELLING = 2  # of these must stand around another number
_NEAR = 0.5  # a cosine from which a word counts as another's like
_NAME = re.compile(r"(?<!^)(?<![.!?:|\"“*]\s)(?<![\"“|*])\b[A-ZÄÖÜÉ][\w'’]*[a-zäöüéß][\w'’]*")
_OPENING_NAME = re.compile(r"^[\W_]*((?:[A-Z][\w'’]+\s+){1,3}[A-Z][\w'’]+)")
_NAMES_ARE_WORDS = frozenset({"de"})  # every noun has a capital letter
_CLOCK = re.compile(
    r"^(?:january|february|march|april|may|june|july|august|september|october|november|december"
    r"|mondays?|tuesdays?|wednesdays?|thursdays?|fridays?|saturdays?|sundays?)$",
    re.I,
)

Near = Callable[[str], "Array"]


@dataclass(frozen=True, slots=True)
class Evidence:
    """Words that are cited, and what stands above them.

    ``context_header`` is the title, headings, header row and introduction: it explains the
    words; names and figures may stand in it. ``explains`` is the part of it that belongs to the
    words themselves: their header row, term or introduction.
    """

    text: str
    context_header: str = ""
    explains: str = ""


@dataclass(frozen=True, slots=True)
class Fault:
    """The part of a statement that the cited text does not support.

    Attributes
    ----------
    kind : str
        ``number``, ``unit``, ``date``, ``time``, ``code``, ``name``: it is not there;
        ``negation``, ``opposite``, ``force`` (must, may), ``extent`` (all, some): there it
        is otherwise; ``terms``: too many words are not there at all; ``connection``: they are
        there, but what is said together stands apart; ``nothing``: it states nothing;
        ``language``: it is in another one, and names nothing that can be compared.
    words : str
        Those of the statement.
    """

    kind: FaultKind
    words: str

    def __str__(self) -> str:
        return f"{self.kind}: {self.words}"


@dataclass(frozen=True, slots=True)
class Verdict:
    """What came of a check.

    Attributes
    ----------
    faults : tuple of Fault
    covered : float
        Share of the statement's words that stand in the cited ones, or near them, 0 to 1.
    """

    faults: tuple[Fault, ...]
    covered: float

    @property
    def supported(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.faults


def check(
    statement: str,
    evidence: Sequence[Evidence],
    analyser: Analyser,
    *,
    near: Near | None = None,
    granted: str = "",
    least: float = _LEAST_COVERED,
) -> Verdict:
    """Check a statement against the words it cites.

    Every number, date, time, code and name must stand there, in whichever form; the
    clause that is nearest must not deny what is said, nor say the opposite, allow what
    is demanded, or limit what is general; of the other words enough must stand there,
    in each clause, and near each other where the statement puts them side by side.

    Parameters
    ----------
    statement : str
        A sentence, without its marks of citation.
    evidence : sequence of Evidence
    analyser : Analyser
        Of the statement's language.
    near : callable, optional
        Gives the unit vector of a word; then one whose like is there counts, too.
    granted : str
        Words that need no support: the organisation's name, the question.
    least : float, default 0.6
        How much must be covered.

    Examples
    --------
    >>> cited = [Evidence("An offer stands for 14 days.", "The waiting list")]
    >>> english = Analyser("en")
    >>> check("The offer stands for fourteen days.", cited, english).supported
    True
    >>> [str(fault) for fault in check("An offer stands for 41 days.", cited, english).faults]
    ['number: 41']
    >>> check("An offer does not stand for 14 days.", cited, english).faults[0]
    Fault(kind='negation', words='stand')
    """
    statement = _bare(statement, evidence)
    if any(stands_whole(statement, one.text) for one in evidence):
        return Verdict((), 1.0)
    said = Said(statement, analyser)
    if not said.terms:
        return Verdict((Fault("nothing", statement),), 0.0)
    there = [Said(one.text, analyser) for one in evidence]
    leads = " \n".join(one.context_header for one in evidence)
    lead_terms = frozenset(analyser.terms(leads)) | frozenset(analyser.terms(granted))
    terms = lead_terms.union(*(one.terms for one in there))
    faults = [
        *_values(said.values, [v for one in there for v in one.values], values_in(leads)),
        *_exchanged(said, there),
        *_codes(statement, " ".join([*(one.text for one in evidence), leads, granted])),
        *_names(said, terms, analyser),
    ]
    if changing := next(filter(None, (left_out(statement, one.text) for one in evidence)), ""):
        faults.append(Fault("extent", changing))
    faults += _denied(said, there)
    faults += _turned(said, there)
    faults += _forced(said, [clause for one in there for clause in one.clauses])
    if word := overstated(said.plain, [word for one in there for word in one.plain]):
        faults.append(Fault("extent", word))
    likes = _likes(said.ordinary - terms, terms, said, near) if near else {}
    faults += [
        Fault("name", word)
        for word in of_another(
            statement,
            [text for one in evidence for text in (one.text, one.context_header)],
            terms,
            analyser,
            likes,
        )
    ]
    liked = frozenset(likes)
    told = frozenset(analyser.terms(" \n".join([granted, *(one.explains for one in evidence)])))
    told = told.union(liked, *(one.terms for one in there))
    whole = said.ordinary
    share = _share(whole, told, lead_terms)
    if share < least:
        missing = whole - terms - liked or whole - told
        faults.append(Fault("terms", ", ".join(said.words_of(missing))))
    elif uncovered := _uncovered(said, terms | liked):
        faults += uncovered
    else:
        faults += _apart(said, _explained(there, evidence, analyser), terms | liked, likes)
    return Verdict(tuple(dict.fromkeys(faults)), share)


def check_in_other_language(statement: str, evidence: Sequence[Evidence]) -> Verdict:
    """Check a statement against words in another language: by what figures and names it has."""
    texts = [text for one in evidence for text in (one.text, one.context_header)]
    found = unlike_in_other_language(statement, texts)
    if found is None:
        return Verdict((), HALF_SURE)
    kind, words_of_it = found
    return Verdict((Fault(cast("FaultKind", kind), words_of_it),), 0.0)


def _share(whole: frozenset[str], told: frozenset[str], above: frozenset[str]) -> float:
    """The share of a statement's terms that are told; one only in a heading counts in part."""
    if not whole:
        return 1.0
    return (len(whole & told) + _ABOVE * len(whole & above - told)) / len(whole)


def _bare(statement: str, evidence: Sequence[Evidence]) -> str:
    """A statement without the titles and headings it names."""
    bare = " ".join(statement.split())
    for line in {line.strip() for one in evidence for line in one.context_header.splitlines()}:
        if len(line) >= _TITLE and " " in line:
            bare = re.sub(re.escape(line), " ", bare, flags=re.I)
    return " ".join(bare.split())


def _values(said: Sequence[Value], there: Sequence[Value], above: Sequence[Value]) -> list[Fault]:
    faults = []
    for value in said:
        if any(value.agrees(other) for other in [*there, *above]):
            continue
        same = [o for o in there if o.kind == value.kind and o.amount == value.amount]
        faults.append(Fault("unit" if same else value.kind, value.words))
    return faults


def _exchanged(said: Said, there: Sequence[Said]) -> list[Fault]:
    """Numbers that stand where the evidence has another one."""
    if any("|" in one.text for one in there):
        return _exchanged_cells(said, there) if "|" in said.text else []
    turned = {(b.kind, b.amount, a.amount) for one in there for a, b in one.ranges}
    faults = [
        Fault(a.kind, f"{a.words}, {b.words}")
        for a, b in said.ranges
        if (a.kind, a.amount, b.amount) in turned and a.amount != b.amount
    ]
    places = [location for one in there for location in one.context]
    for value, context in said.context:
        shared = other = 0
        for theirs, near in places:
            if value.agrees(theirs):
                shared = max(shared, len(context & near))
            elif theirs.kind == value.kind:
                other = max(other, len(context & near))
        if other > shared and other >= _TELLING:
            faults.append(Fault(value.kind, value.words))
    return faults


def _exchanged_cells(said: Said, there: Sequence[Said]) -> list[Fault]:
    said_cells = said.text.strip(" |").split("|")
    for one in there:
        cells = one.text.strip(" |").split("|")
        if len(cells) != len(said_cells):
            continue
        wrong = [
            value
            for cell, other in zip(said_cells, cells, strict=True)
            for value in values_in(cell)
            if not any(value.agrees(theirs) for theirs in values_in(other))
        ]
        return [Fault(value.kind, value.words) for value in wrong]
    return []


def _codes(statement: str, there: str) -> list[Fault]:
    folded = there.casefold()
    return [Fault("code", code) for code in sorted(codes_in(statement)) if code not in folded]


def _names(said: Said, terms: frozenset[str], analyser: Analyser) -> list[Fault]:
    if analyser.language in _NAMES_ARE_WORDS:
        return []
    found = [match.group() for match in _NAME.finditer(said.text)]
    if opening := _OPENING_NAME.match(said.text):
        found = [*opening[1].split(), *found]
    faults = []
    for name in dict.fromkeys(found):
        name_terms = analyser.word_terms(name)
        if name_terms and not _CLOCK.match(name) and not terms.issuperset(name_terms):
            faults.append(Fault("name", name))
        elif name_terms and _CLOCK.match(name) and not terms.issuperset(name_terms):
            faults.append(Fault("date", name))
    return faults


def _denied(said: Said, there: Sequence[Said]) -> list[Fault]:
    """What one denies and the other says."""
    theirs = frozenset(term for one in there for term in one.terms)
    denied = frozenset(term for one in there for term in one.denied(said.terms, said.first_denied))
    denied_here = said.denied(theirs, frozenset().union(*(one.first_denied for one in there)))
    every = frozenset(term for one in there for denial in one.denials for term in denial)
    wrong = (denied_here & (theirs - every)) | (
        (said.terms - denied_here) & denied - _said_too(there, denied)
    )
    return [Fault("negation", word) for word in said.words_of(wrong)]


def _said_too(there: Sequence[Said], denied: frozenset[str]) -> frozenset[str]:
    """Terms that the evidence denies in one place and says in another."""
    found: set[str] = set()
    for one in there:
        counted = Counter(
            term for word in words(one.text) for term in one.analyser.word_terms(word)
        )
        found |= {term for term in denied if counted[term] > 1}
    return frozenset(found)


def _turned(said: Said, there: Sequence[Said]) -> list[Fault]:
    """Words that the evidence does not have, but their opposites, which are missing here."""
    counts = Counter(said.plain)
    theirs = Counter(word for one in there for word in one.plain)
    return [
        Fault("opposite", word)
        for word, count in counts.items()
        if count > theirs[word]
        and any(theirs[other] > counts[other] for other in OPPOSITES.get(word, ()))
    ]


def _forced(said: Said, clauses: Sequence[Clause]) -> list[Fault]:
    """Where what may be done must be, or the other way round, in the nearest clause."""
    faults = []
    for clause in said.clauses:
        nearest = max(clauses, key=lambda other: _overlap(clause, other), default=None)
        if nearest is None or not clause.terms & nearest.terms:
            continue
        if {force_of(clause.words), force_of(nearest.words)} == {Force.MUST, Force.MAY}:
            faults.append(Fault("force", clause.text))
    return faults


def _overlap(clause: Clause, other: Clause) -> tuple[float, float]:
    shared = len(clause.terms & other.terms)
    return shared, shared / max(1, len(other.terms))


def _uncovered(said: Said, terms: frozenset[str]) -> list[Fault]:
    """Clauses of which too little is there."""
    faults = []
    for clause in said.clauses:
        ordinary = clause.terms & said.ordinary
        if len(ordinary) >= _PART and len(ordinary & terms) < _LEAST_OF_PART * len(ordinary):
            faults.append(Fault("terms", clause.text))
    return faults


def _apart(
    said: Said,
    there: Sequence[ExplainedTerms],
    known: frozenset[str],
    likes: Mapping[str, Collection[str]],
) -> list[Fault]:
    """Where what the statement puts together stands apart in the evidence."""

    def sequence(part: Said) -> list[str]:
        return [term for term in part.sequence if term in part.ordinary & known]

    if connected(sequence(said), there, likes) < _LEAST_CONNECTED:
        return [Fault("connection", said.text)]
    faults = []
    for part in CLAUSES.split(said.text):
        if len(there) > 1:
            own = Said(part, said.analyser).ordinary
            if len(own) >= _PART and best_share(own, there, likes) < _LEAST_OF_ONE:
                faults.append(Fault("connection", part.strip()))
                continue
        if is_said := _IS.search(part):
            before = sequence(Said(part[: is_said.start()], said.analyser))[-_BESIDE:]
            after = sequence(Said(part[is_said.end() :], said.analyser))[:_BESIDE]
            if before and after and not any_near(before, after, there, likes):
                faults.append(Fault("connection", part.strip()))
    return faults


def _explained(
    there: Sequence[Said], evidence: Sequence[Evidence], analyser: Analyser
) -> list[ExplainedTerms]:
    """Of each unit its terms in order, those that explain it, and those above it."""
    return [
        ExplainedTerms(
            one.sequence,
            frozenset(analyser.terms(own.explains)),
            frozenset(analyser.terms(own.context_header)),
        )
        for one, own in zip(there, evidence, strict=True)
    ]


def _likes(
    missing: frozenset[str], there: frozenset[str], said: Said, near: Near
) -> dict[str, list[str]]:
    """Of each missing term whose like is there the terms that are."""
    if not missing or not there:
        return {}
    import numpy as np

    names = sorted(there)
    rows = np.stack([near(term) for term in names])
    found = {}
    for term in missing:
        cosines = rows @ near(said.by_term[term])
        if alike := [names[at] for at in np.flatnonzero(cosines >= _NEAR)]:
            found[term] = alike
    return found
