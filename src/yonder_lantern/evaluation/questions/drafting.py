"""Candidate questions from documents: for a person to accept, mend or drop.

Sentences whose form answers a question, rows of tables, abbreviations that are explained, headings
that name a task or ask, what two documents say differently; the same in other words; and questions
about things near by that no document answers.
"""

from __future__ import annotations

import random
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from ...core import Block, BlockKind, Document, heading_trail
from ...text import OPPOSITES, cells_of, explained_abbreviations, sentences, words
from .draft_sentences import questions_of_sentence
from .question_set import Expected, Question, expected_at
from .write_set import free_id

_MOST_PER_DOCUMENT = 12  # candidates that are weighed
_SHORTEST, _LONGEST = 20, 400  # characters of a quote
_PROCEDURE = re.compile(
    r"(?P<gerund>[A-Z][a-z]+ing)\s+(?P<rest>(?:an?|the|your|of|from|to|in|on|with|for)?\s*\w.*)"
)
_ASKING = frozenset("who what when where which how why".split())
_POINTS = re.compile(
    r"(?:in|see|as|the) (?:the )?(?:sample|example|figure|following|below|above)", re.I
)
_MUTUAL = 8  # nearest words, among which each of two that replace each other has the other
# What is asked of a thing that no document says, and the words that would say it.
_ASKED_OF = (
    ("How much does {} cost?", "cost costs price prices priced charge charged fee fees pay paid"),
    ("Who designed {}?", "design designed designer architect developed wrote created author"),
    ("Who is responsible for {}?", "responsible responsibility charge keeps looks owner maintains"),
    ("When was {} introduced?", "introduced introduction since first appeared released added new"),
    ("How many people use {}?", "people users used use popular visitors members"),
    ("How much does {} weigh?", "weigh weighs weight kilograms tonnes heavy kg"),
    ("How often is {} inspected?", "inspect inspected inspection inspects checked examined tested"),
    ("When was {} last painted?", "paint painted painting colour"),
)
_HEARD_OF = 6  # sentences with such a word, from which its question fits the documents
Like = Callable[[str], Sequence[str]]


@dataclass(frozen=True, slots=True)
class Draft:
    """A candidate: the question without an id."""

    rule: str
    question: str
    expected: tuple[tuple[Expected, ...], ...]
    answer: tuple[str, ...] = ()
    audience: tuple[str, ...] | None = None


@dataclass(slots=True)
class _Known:
    """What the documents say, as far as drafting needs it."""

    words: Counter[str] = field(default_factory=Counter)
    explained: set[str] = field(default_factory=set)
    short_forms: Counter[str] = field(default_factory=Counter)
    sentences: list[frozenset[str]] = field(default_factory=list)
    rows: dict[tuple[str, ...], list[tuple[Document, Block, list[str], list[str]]]] = field(
        default_factory=lambda: defaultdict(list)
    )


def draft_questions(
    documents: Iterable[Document],
    count: int,
    *,
    seed: int,
    taken: set[str],
    like: Like = lambda _: (),
    unanswerable: float = 0.2,
    other_words: float = 0.06,
) -> list[Question]:
    """Draw candidate questions from documents.

    Parameters
    ----------
    documents : iterable of Document
    count : int
        How many are wanted; there may be fewer.
    seed : int
        Of the draw.
    taken : set of str
        Ids that are in use; those of the drafts are added.
    like : callable
        The words nearest in meaning to a word; none by default.
    unanswerable, other_words : float
        The shares of the drafts that no document answers, and that are in other words.

    Returns
    -------
    list of Question
        Marked as drafts; half for fitting, half for figures.
    """
    generator = random.Random(seed)
    known = _Known()
    by_rule: dict[str, list[Draft]] = defaultdict(list)
    seen: set[str] = set()
    for document in documents:
        made = [one for one in _of_document(document, known) if _fits(one)]
        generator.shuffle(made)
        for one in made[: max(_MOST_PER_DOCUMENT, count // 2)]:
            if one.question.casefold() not in seen:
                seen.add(one.question.casefold())
                by_rule[one.rule].append(one)
    by_rule["difference"] += [one for one in _differences(known) if _fits(one)]
    plain = count - round(count * unanswerable) - round(count * other_words)
    chosen = _in_turn(by_rule, generator, count)
    drafts = chosen[:plain]
    if other_words:
        drafts += _in_other_words(chosen[plain:] + drafts, like, known, count - plain, generator)[
            : round(count * other_words)
        ]
    drafts += _unanswerable(chosen, known, generator)[: round(count * unanswerable)]
    used = {one.question.casefold() for one in drafts}
    spare = [one for one in chosen[plain:] if one.question.casefold() not in used]
    drafts += spare[: max(0, count - len(drafts))]
    return [
        Question(
            id=free_id(f"draft-{one.rule.replace(' ', '-')}", taken),
            question=one.question,
            kind=one.rule.replace(" ", "_"),
            expected=one.expected,
            answer=one.answer,
            audience=one.audience,
            split="fit" if number % 2 else "test",
            draft=True,
            origin=f"drafted: {one.rule}",
        )
        for number, one in enumerate(drafts)
    ]


def _in_turn(
    by_rule: Mapping[str, list[Draft]], generator: random.Random, count: int
) -> list[Draft]:
    """Drafts of each rule in turn, drawn by chance, and of each document about as many."""
    for made in by_rule.values():
        generator.shuffle(made)
        often: Counter[str] = Counter()
        order = {}
        for one in made:
            document = one.expected[0][0].document
            often[document] += 1
            order[one.question] = often[document]
        made.sort(key=lambda one: order[one.question])
    left = {rule: list(made) for rule, made in sorted(by_rule.items()) if made}
    chosen: list[Draft] = []
    while left and len(chosen) < count * 2:
        for rule in list(left):
            chosen.append(left[rule].pop(0))
            if not left[rule]:
                del left[rule]
    return chosen


def _of_document(document: Document, known: _Known) -> Iterator[Draft]:
    text, blocks = document.text, document.blocks
    english = document.language in ("en", "")
    known.words.update({word.casefold() for word in words(text)})
    known.short_forms.update(set(re.findall(r"\b[A-Z]{3,5}\b", text)))
    known.explained.update(short for short, _ in explained_abbreviations(text))
    for at, block in enumerate(blocks):
        if block.kind is BlockKind.ROW:
            yield from _of_row(document, block, known)
        if not english:
            continue
        if block.kind is BlockKind.HEADING:
            yield from _of_heading(document, at)
        if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            for start, end in sentences(text, block.start, block.end):
                said = text[start:end]
                known.sentences.append(frozenset(word.casefold() for word in words(said)))
                for one in questions_of_sentence(said):
                    answer = tuple(part for part in one.answer if part in said)
                    yield _draft(document, one.rule, one.question, start, end, answer)
    if english:
        yield from _of_abbreviations(document)


def _draft(
    document: Document,
    rule: str,
    question: str,
    start: int,
    end: int,
    answer: tuple[str, ...] = (),
) -> Draft:
    public = "public" in document.audience
    return Draft(
        rule,
        question,
        ((_expected(document, start, end),),),
        answer,
        None if public else tuple(sorted(document.audience)),
    )


def _expected(document: Document, start: int, end: int) -> Expected:
    text = document.text
    start += len(text[start:end]) - len(text[start:end].lstrip())
    end = start + len(text[start:end].rstrip())
    return expected_at(document.id, text, start, end, version=document.version)


def _of_heading(document: Document, at: int) -> Iterator[Draft]:
    """A heading that asks, or names what is to be done: its first paragraph answers it."""
    blocks, text = document.blocks, document.text
    trail = heading_trail(text, blocks, at)
    name = re.sub(r"^(?:[A-Z]\.)?[\d.]+\s+", "", trail[-1]) if trail else ""
    below = next(
        (
            one
            for one in blocks[at + 1 : at + 3]
            if one.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        ),
        None,
    )
    if below is None or below.under != at or below.end - below.start < _SHORTEST:
        return
    end = min(below.end, below.start + _LONGEST)
    parts = [part for part in sentences(text, below.start, below.end) if part[1] <= end]
    end = parts[-1][1] if parts else end
    first = text[below.start : end].split()[:2]
    if all(word.isupper() for word in first) or _POINTS.match(text[below.start : end]):
        return
    if name.endswith("?") and len(name.split()) > 3 and not name.startswith("Would you"):
        yield _draft(document, "heading", name, below.start, end)
        return
    found = _PROCEDURE.fullmatch(name)
    base = _infinitive(found["gerund"]) if found else ""
    if found and base and len(name.split()) <= 8 and ":" not in name:
        yield _draft(document, "heading", f"How do I {base} {found['rest']}?", below.start, end)
    asks = re.fullmatch(r"How to (\w.{4,60})", name)
    if asks:
        yield _draft(document, "heading", f"How do I {asks[1]}?", below.start, end)


_INFINITIVES = {
    "using": "use", "making": "make", "changing": "change", "creating": "create",
    "writing": "write", "removing": "remove", "configuring": "configure", "moving": "move",
    "storing": "store", "saving": "save", "taking": "take", "leaving": "leave",
    "running": "run", "setting": "set", "getting": "get", "stopping": "stop",
    "planning": "plan", "installing": "install", "testing": "test", "adding": "add",
    "reporting": "report", "paying": "pay", "booking": "book", "joining": "join",
    "building": "build", "starting": "start", "checking": "check", "finding": "find",
    "connecting": "connect", "sending": "send", "reading": "read", "opening": "open",
    "handling": "handle", "enabling": "enable", "disabling": "disable", "updating": "update",
    "upgrading": "upgrade", "deleting": "delete", "defining": "define", "debugging": "debug",
    "customizing": "customize", "renewing": "renew", "applying": "apply", "loading": "load",
    "entering": "enter", "cleaning": "clean", "mooring": "moor",
}  # fmt: skip


def _infinitive(gerund: str) -> str:
    return _INFINITIVES.get(gerund.casefold(), "")


def _of_row(document: Document, block: Block, known: _Known) -> Iterator[Draft]:
    """What a cell of a table says, by its row and its column."""
    text = document.text
    if block.header < 0:
        return
    header = document.blocks[block.header]
    heads = [one.strip() for one in cells_of(text[header.start : header.end])]
    cells = [one.strip() for one in cells_of(text[block.start : block.end])]
    if len(cells) < 2 or len(heads) != len(cells) or not _is_name(cells[0]):
        return
    known.rows[cells[0].casefold(), *map(str.casefold, heads)].append(
        (document, block, heads, cells)
    )
    for head, cell in list(zip(heads, cells, strict=True))[1:]:
        if not (_tells(cell) and 1 <= len(head.split()) <= 4 and not head.endswith(")")):
            continue
        if not re.search(r"[^\W\d_]{3}", head) or head.split()[0].casefold() in _ASKING:
            continue
        yield _draft(
            document,
            "table",
            f"What is the {_lower(head)} for {_lower(cells[0])}?",
            block.start,
            block.end,
            (cell,),
        )
        break


def _tells(cell: str) -> bool:
    """Whether a cell says something that could be asked for: a number, a name, a few words."""
    if not cell or len(cell) >= 40 or cell.casefold() in ("yes", "no", "none", "n/a", "unknown"):
        return False
    named = len(cell) > 1 and not cell.islower()
    return bool(re.search(r"\d", cell)) or len(cell.split()) > 1 or named


def _is_name(cell: str) -> bool:
    return bool(re.search(r"[^\W\d_]{2}", cell)) and len(cell.split()) <= 6 and len(cell) < 50


def _lower(text: str) -> str:
    first, _, rest = text.partition(" ")
    return f"{first.lower()} {rest}".strip() if first[1:].islower() else text


def _of_abbreviations(document: Document) -> Iterator[Draft]:
    for one in explained_abbreviations(document.text):
        short, long = one[0], one[1]
        one_way = rf"{re.escape(long)}\W{{1,3}}{re.escape(short)}\b"
        other_way = rf"\b{re.escape(short)}\W{{1,3}}{re.escape(long)}"
        there = re.search(f"{one_way}|{other_way}", document.text)
        if not short.isupper() or not there or len(long.split()) < 2 or not _spells(short, long):
            continue
        at = there.start()
        for start, end in sentences(document.text, *_around(document, at)):
            if start <= at < end:
                yield _draft(
                    document, "abbreviation", f"What does {short} stand for?", start, end, (long,)
                )


def _spells(short: str, long: str) -> bool:
    """Whether a short form is made of the first letters of the words of a long one."""
    first = "".join(word[0] for word in re.findall(r"\w+", long)).casefold()
    letters = re.sub(r"\W", "", short).casefold()
    return letters[:1] == first[:1] and sum(one in first for one in letters) >= len(letters) - 1


def _around(document: Document, at: int) -> tuple[int, int]:
    for block in document.blocks:
        if block.start <= at < block.end:
            return block.start, block.end
    return at, at


def _differences(known: _Known) -> Iterator[Draft]:
    """What two documents say of the same row."""
    for there in known.rows.values():
        for (one, block, heads, cells), (other, other_block, _, other_cells) in pairwise(there):
            if one.id == other.id or one.title == other.title:
                continue
            changed = [
                (head, mine, theirs)
                for head, mine, theirs in zip(heads, cells, other_cells, strict=True)
                if mine != theirs
            ]
            if len(changed) != 1 or not (one.audience & other.audience):
                continue
            head, mine, theirs = changed[0]
            yield Draft(
                "difference",
                f"How does the {_lower(head)} for {_lower(cells[0])} differ between "
                f"{one.title} and {other.title}?",
                (
                    (_expected(one, block.start, block.end),),
                    (_expected(other, other_block.start, other_block.end),),
                ),
                (mine, theirs),
            )


def _in_other_words(
    drafts: Sequence[Draft], like: Like, known: _Known, count: int, generator: random.Random
) -> list[Draft]:
    """Questions with one of their words replaced by the nearest in meaning that is as common."""
    found: list[Draft] = []
    for one in drafts:
        if len(found) >= count * 2:
            break
        if one.rule in ("abbreviation", "difference", "table"):
            continue
        content = [
            word
            for word in re.findall(r"[a-z]{4,}", one.question)
            if known.words[word] and word not in _COMMON
        ]
        generator.shuffle(content)
        for word in content:
            other = next((near for near in like(word) if _stands_for(near, word, like, known)), "")
            other = other if other and _replaces(other, word, one.question) else ""
            if other:
                asked = re.sub(rf"\b{word}\b", other, one.question, count=1)
                found.append(Draft("other words", asked, one.expected, one.answer, one.audience))
                break
    return found


_FEW = 8  # short forms that are nowhere explained
_OFTEN = 3  # times that a word must stand in the documents to take another's place
_CONTRARY = frozenset(
    {("manually", "automatically"), ("manual", "automatic"), ("hard", "easy"), ("old", "new")}
    | {(one, other) for one, others in OPPOSITES.items() for other in others}
)
_COMMON = frozenset(
    "what when where which does should happens many much long within from with your this that "
    "between differ stand used have been will would could must same there rest thing things".split()
)


def _stands_for(near: str, word: str, like: Like, known: _Known) -> bool:
    """Whether each of two words is near the other, the new one is in use, and they agree."""
    mutual = word in like(near)[:_MUTUAL]
    return known.words[near] >= _OFTEN and mutual and not _opposite(near, word)


def _opposite(near: str, word: str) -> bool:
    """Whether two words near in meaning mean the opposite, as "manually" and "automatically" do."""
    prefixed = any(
        one == f"{prefix}{other}"
        for prefix in ("un", "in", "dis", "non", "mis", "re", "de")
        for one, other in ((near, word), (word, near))
    )
    return prefixed or (near, word) in _CONTRARY or (word, near) in _CONTRARY


def _replaces(near: str, word: str, question: str) -> bool:
    """Whether a word can take another's place: not a form of it, nor there already."""
    stem = min(len(near), len(word)) - 2
    ending = re.compile(r"(?:s|ed|ing|er)?$")
    alike = ending.search(near), ending.search(word)
    same_form = alike[0] and alike[1] and alike[0][0] == alike[1][0]
    return bool(
        near.isalpha()
        and near[:stem] != word[:stem]
        and near not in question.casefold()
        and same_form
    )


def _unanswerable(drafts: Sequence[Draft], known: _Known, generator: random.Random) -> list[Draft]:
    """Questions about things that the documents speak of, which they do not answer.

    What a short form stands for that is nowhere explained; what is asked of many things, where no
    sentence and no row names the thing with a word that would say it. A person sees whether one
    is answered after all.
    """
    found = [
        Draft("unanswerable", f"What does {short} stand for?", ())
        for short, count in sorted(known.short_forms.items())
        if short not in known.explained and count > 1 and not known.words[short.casefold()] > count
    ]
    generator.shuffle(found)
    found = found[:_FEW]
    rows = [
        {word.casefold() for cell in (*heads, *cells) for word in words(cell)}
        for there in known.rows.values()
        for _, _, heads, cells in there
    ]
    asked = []
    for one in drafts:
        about = re.fullmatch(
            r"(?:What is|When does|How much does|How long does|Where is) (the .+?)"
            r"(?: (?:open|close|start|end|cost|weigh|take|last|hold|kept|stored|used for))?\?",
            one.question,
        )
        if about and one.rule not in ("table", "abbreviation") and len(about[1].split()) <= 4:
            asked.append(about[1])
    fitting = [
        (form, cues)
        for form, cues in _ASKED_OF
        if sum(bool(sentence & set(cues.split())) for sentence in known.sentences) >= _HEARD_OF
    ]
    for subject in dict.fromkeys(asked):
        thing = _content(subject)
        said = [sentence for sentence in (*known.sentences, *rows) if thing <= sentence]
        ways = list(fitting)
        generator.shuffle(ways)
        for form, cues in ways:
            if thing and not any(sentence & set(cues.split()) for sentence in said):
                found.append(Draft("unanswerable", form.format(subject), ()))
                break
    generator.shuffle(found)
    return found


def _content(text: str) -> set[str]:
    return {word.casefold() for word in words(text) if len(word) > 3} - _COMMON


def _fits(one: Draft) -> bool:
    return all(
        _SHORTEST <= len(part.quote) <= _LONGEST * 2 or one.rule in ("table", "difference")
        for group in one.expected
        for part in group
    )
